// Tasks and optimistic actions while the screen shows a past step (rules 13 and 14).
import { describe, expect, jest, test } from '@jest/globals';
import { confirmation, selector, store, task } from 'floe';
import { memoryStorage } from 'floe/persist';
import { testRuntime } from 'floe/testing';
import { asks, declareVisits, desk, lines, phaseOf } from '../support/visits.js';

describe('rule 14: while the screen shows a past step', () => {
  const { visits, listArrived, picked } = declareVisits();
  const setUp = () => {
    const { open, given } = asks();
    const texts = new Map<string, string>();
    const runtime = testRuntime({ stores: [visits, watch], needs: [given], storage: memoryStorage(texts) });
    return { open, runtime, stored: () => texts.get('watch') ?? '' };
  };
  const watch = store('watch', { last: '' }).persisted();
  watch.when(listArrived, (draft, [id]) => {
    draft.last = id;
  });
  const count = selector('count', (read) => read(visits).list.length);
  const load = task(visits, 'load', async ({ dispatch, read, use }) => {
    dispatch(listArrived([await use(desk).ask('list')]));
    return read(count);
  });

  test('a task dispatches and reads at the live end while the screen shows the past', async () => {
    const { open, runtime, stored } = setUp();
    const run = runtime.run(load());
    runtime.dispatch(picked('v1'));
    runtime.trace.seek(0);
    const notified = jest.fn();
    runtime.watch(count, notified);
    expect(runtime.read(load.status).phase).toBe('idle');
    open[0].answer('v7');
    expect(await run).toBe(1);
    expect([runtime.trace.cursor, runtime.trace.isLive, runtime.read(count)]).toEqual([0, false, 0]);
    expect(notified).not.toHaveBeenCalled();
    expect(stored()).toContain('v7');
    expect(runtime.trace.branches).toHaveLength(1);
    runtime.trace.live();
    expect(runtime.read(visits)).toMatchObject({ list: ['v7'], picked: 'v1' });
    expect(runtime.read(load.status).phase).toBe('done');
    expect(notified.mock.calls).toEqual([[1, 0]]);
    for (const { seq } of runtime.trace.steps) runtime.trace.seek(seq);
    expect(runtime.read(count)).toBe(1);
  });

  test('a branch cancels the runs that began after it, and older runs continue', async () => {
    const { open, runtime } = setUp();
    const older = runtime.run(load());
    const fork = runtime.trace.cursor;
    const younger = phaseOf(runtime.run(load()));
    runtime.trace.seek(fork);
    runtime.dispatch(picked('v3'));
    expect(await younger).toMatch(/branch/);
    expect(runtime.trace.branches).toHaveLength(2);
    open[1].answer('v9');
    open[0].answer('v7');
    expect(await older).toBe(1);
    expect(runtime.trace.isLive).toBe(true);
    expect(runtime.read(visits)).toMatchObject({ list: ['v7'], picked: 'v3' });
    expect(runtime.read(load.status)).toMatchObject({ phase: 'done', runs: 1 });
    for (const { seq } of runtime.trace.steps) runtime.trace.seek(seq);
    runtime.trace.switchTo(0);
    // Neither is under way there: the older one ended on the other branch.
    expect(runtime.read(load.status)).toMatchObject({ phase: 'cancelled', runs: 2 });
    expect(lines(runtime.trace.steps).slice(-2)).toEqual([
      expect.stringMatching(/runEnded, #2 cancelled.*branch$/),
      expect.stringMatching(/runEnded, #1 cancelled.*branch$/),
    ]);
  });

  test('a call that waits in a queue leaves with the line that it was called on', async () => {
    const { open, runtime } = setUp();
    const save = task(visits, 'save', ({ use }, _id: string) => use(desk).ask('save'), { overlap: 'queue' });
    const first = runtime.run(save('v1'));
    runtime.dispatch(picked('v1'));
    const fork = runtime.trace.cursor;
    const before = phaseOf(runtime.run(save('v2')));
    runtime.dispatch(picked('v2'));
    const after = phaseOf(runtime.run(save('v3')));
    runtime.trace.seek(fork);
    runtime.dispatch(picked('v4'));
    expect(await after).toMatch(/branch/);
    open[0].answer('done');
    expect(await first).toBe('done');
    open[1].answer('done');
    expect(await before).toBe('done');
    // Where the run before it leaves too, nothing of the queue begins.
    const last = phaseOf(runtime.run(save('v5')));
    const queued = phaseOf(runtime.run(save('v6')));
    runtime.trace.import(runtime.trace.export());
    expect([await last, await queued]).toEqual([expect.stringMatching(/import/), expect.stringMatching(/import/)]);
    expect(open).toHaveLength(3);
  });

  test('a held action that proceeds in the past begins a branch', async () => {
    const answers: ((yes: boolean) => void)[] = [];
    const sent = visits.action('sent', (draft) => void (draft.filter = 'sent'), { about: { confirm: 'Send?' } });
    const ask = confirmation((_text: string) => new Promise<boolean>((answer) => answers.push(answer)));
    const runtime = testRuntime({ stores: [visits], interceptors: [ask] });
    expect([runtime.dispatch(sent()), runtime.dispatch(sent())]).toEqual(['waiting', 'waiting']);
    runtime.trace.seek(0);
    answers[0](false);
    await runtime.clock.advance();
    expect([runtime.trace.cursor, runtime.trace.branches.length]).toEqual([0, 1]);
    expect(lines(runtime.trace.steps).at(-1)).toMatch(/visits.sent, by code, stopped, not confirmed/);
    answers[1](true);
    await runtime.clock.advance();
    expect(runtime.trace.isLive).toBe(true);
    expect(runtime.trace.branches).toHaveLength(2);
    expect(lines(runtime.trace.steps)).toEqual(['0, initial, by runtime, applied', '4, visits.sent, by code, applied']);
    expect(runtime.read(visits).filter).toBe('sent');
  });

  test('a task at the live end reads there through its context only', async () => {
    const { open, runtime } = setUp();
    const found: unknown[] = [];
    task(
      visits,
      'look',
      ({ read }) => {
        found.push(runtime.read(count), read(count));
        runtime.trace.live();
        found.push(runtime.read(count));
      },
      { when: listArrived },
    );
    const run = runtime.run(load());
    runtime.trace.seek(0);
    open[0].answer('v7');
    expect(await run).toBe(1);
    expect(found).toEqual([0, 1, 1]);
    expect([runtime.trace.isLive, runtime.read(count), runtime.trace.branches.length]).toEqual([true, 1, 1]);
    const meddling = (_action: unknown, { proceed }: { proceed(): unknown }): void => {
      runtime.trace.live();
      proceed();
    };
    runtime.addInterceptor('meddling', meddling);
    const again = phaseOf(runtime.run(load()));
    runtime.trace.seek(0);
    open[1].answer('v8');
    expect(await again).toMatch(/moving in time/);
  });
});

test('rule 13: no task runs again because the cursor moves', async () => {
  const { visits, picked } = declareVisits();
  const began: string[] = [];
  task(visits, 'start', () => void began.push('start'), { atStart: true });
  task(
    visits,
    'answer',
    ({ dispatch }) => void (began.push('answer'), dispatch({ type: 'visits.filterPicked', payload: 'x' })),
    {
      when: picked,
    },
  );
  const runtime = testRuntime({ stores: [visits] });
  runtime.dispatch(picked('v1'));
  runtime.dispatch(picked('v2'));
  const before = runtime.trace.steps;
  for (const { seq } of [...before, ...before]) runtime.trace.seek(seq);
  runtime.trace.back();
  runtime.trace.live();
  await runtime.clock.advance(1000);
  expect(began).toEqual(['start', 'answer', 'answer']);
  expect(runtime.trace.steps).toEqual(before);
});
