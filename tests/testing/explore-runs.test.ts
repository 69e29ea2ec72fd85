// The search where tasks run, in a test that has replaced all timers before Floe was loaded.
import { expect, jest, test } from '@jest/globals';

jest.useFakeTimers();
const { need, store, task } = await import('floe');
const { explore } = await import('floe/testing');

test('what a held action throws when it goes on is a failure of a change', async () => {
  const office = need<{ ask(): Promise<string> }>('office');
  const board = store('board', { marks: '' });
  const marked = board.action('marked', ({ marks }, mark: string) => ({ marks: marks + mark }));
  const refused = board.action('refused', () => {
    throw new RangeError('full');
  });
  const ask = task(board, 'ask', async ({ dispatch, use }) => void dispatch(marked(await use(office).ask())));
  const { failures, broken, states } = await explore({
    stores: [board],
    examples: [refused(), ask()],
    needs: [office.outcomes({ ask: ['m'] })],
    interceptors: [(action, { proceed }) => void (action.type === 'board.refused' || proceed())],
    steps: 3,
  });
  expect(failures).toMatchObject([{ kind: 'change', what: expect.stringContaining('full') }]);
  expect(failures[0].story.map(({ does }) => does)).toEqual(['dispatch', 'decide']);
  expect([broken, states > 5]).toEqual([[], true]);
});
