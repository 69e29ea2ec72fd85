import { expect, test } from '@jest/globals';
import { need, store, task } from 'floe';
import { cancelRun, heldCalls, leftOpen, taskCall, testRuntime } from 'floe/testing';
import { codeOf } from '../support/failures.js';

interface Office {
  find(text: string, how?: { signal: AbortSignal }): Promise<string>;
  save(text: string): Promise<number>;
}
const office = need<Office>('office');
const radio = need<(channel: number) => Promise<string>>('radio');
const board = store('board', { found: '', saved: 0 });
const set = board.action('set', (now, part: { found?: string; saved?: number }) => Object.assign({}, now, part));
task(
  board,
  'find',
  async ({ dispatch, use, signal }, text: string) => {
    dispatch(set({ found: await use(office).find(text, { signal }) }));
  },
  { overlap: 'replace' },
);
task(board, 'save', async ({ dispatch, optimistic, use }) => {
  optimistic(set({ found: 'saving' }));
  dispatch(set({ saved: await use(office).save(await use(radio)(16)) }));
});

test('calls wait, and respond in the order that a test wants', async () => {
  const desk = heldCalls(
    radio,
    office.outcomes({ saved: 0 }, (known) => ({ save: () => [() => ++known.saved, new Error('lost')] })),
  );
  const runtime = testRuntime({ stores: [board], needs: desk.needs });
  const replaced = runtime.run(taskCall(runtime, 'board.find', 'a'));
  const second = runtime.run(taskCall(runtime, 'board.find', 'ab'));
  await expect(replaced).rejects.toMatchObject({ code: 'FLOE_RUN_CANCELLED' });
  // The call of the run that was replaced was ended by its signal, which is no data.
  expect(desk.calls.map(({ method, args, isOpen }) => [method, args, isOpen])).toEqual([
    ['find', ['a'], false],
    ['find', ['ab'], true],
  ]);
  const aborted = new AbortController();
  aborted.abort(new Error('too late'));
  await expect((desk.needs[1].value as Office).find('c', { signal: aborted.signal })).rejects.toThrow('too late');
  await expect(desk.respond(1, 'late')).rejects.toMatchObject({ code: 'FLOE_NO_SUCH_CALL' });
  await expect(desk.outcome(2, 0)).rejects.toMatchObject({ code: 'FLOE_NO_OUTCOMES' });
  await expect(desk.respond(9)).rejects.toThrow('1 office.find (over), 2 office.find');
  void runtime.run(taskCall(runtime, 'board.save')).catch(() => undefined);
  await desk.respond(4, 'all well');
  expect(desk.calls[4].args).toEqual(['all well']);
  expect(leftOpen(runtime)).toContain("'board.set' is neither confirmed nor reverted");
  cancelRun(runtime, second.id);
  expect(second.phase).toBe('cancelled');
  await desk.outcome(5, 0);
  expect([runtime.read(board).saved, desk.known(office), leftOpen(runtime)]).toEqual([1, { saved: 1 }, []]);
  void runtime.run(taskCall(runtime, 'board.save')).catch(() => undefined);
  await desk.fail(6, new Error('noise'));
  expect(runtime.problems).toEqual([]);
  expect(codeOf(() => taskCall(runtime, 'board.fnd'))).toBe('FLOE_NO_SUCH_TASK');
});
