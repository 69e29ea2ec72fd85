// Transactions, and batches of notifications.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, store, task, type TaskContext } from 'floe';
import { replayTrace } from 'floe/trace';
import { declareCounter, recorded } from '../support/counter.js';
import { codeOf, failure } from '../support/failures.js';

describe('rule 2: atomic', () => {
  test('invariants are checked once, at the end of a transaction', () => {
    const { counter, added, runtime } = recorded({ invariants: 'refuse' });
    counter.invariant('even', ({ n }) => n % 2 === 0);
    runtime.atomic(() => {
      runtime.dispatch(added(1));
      runtime.dispatch(added(1));
    });
    expect(codeOf(() => runtime.atomic(() => runtime.dispatch(added(1))))).toBe('FLOE_INVARIANT_BROKEN');
    const remove = runtime.addInterceptor('slow', () => undefined);
    const work = task('work', () => undefined);
    const later: [() => unknown, string][] = [
      [() => Promise.resolve(), 'waiting'],
      [() => runtime.run(work()), "running 'work'"],
      [() => runtime.dispatch(added(2)), 'an interceptor that decides later'],
    ];
    for (const [start, what] of later) {
      const { code, message } = failure(() => runtime.atomic(start));
      expect([code, message]).toEqual(['FLOE_ASYNC_IN_ATOMIC', expect.stringContaining(what)]);
    }
    remove();
    expect(runtime.read(counter).n).toBe(2);
  });

  test('a store that joins inside a transaction, an undo and a reset belong to it', () => {
    const { counter, log, added, runtime } = recorded({ invariants: 'refuse' });
    counter.invariant('even', ({ n }) => n % 2 === 0);
    const late = store('late', { z: 0 });
    const zed = late.action('zed', (draft) => {
      draft.z++;
    });
    runtime.dispatch(added(2));
    runtime.atomic(() => {
      runtime.dispatch(added(1));
      runtime.dispatch(zed());
      runtime.dispatch(added(1));
    });
    expect(new Set(runtime.trace.steps.slice(2).map(({ group }) => group)).size).toBe(1);
    runtime.trace.exclude(1);
    runtime.trace.include(1);
    expect([runtime.read(counter).n, runtime.read(late).z]).toEqual([4, 1]);
    runtime.trace.back();
    expect(runtime.read(counter).n).toBe(2);
    runtime.trace.live();
    const again = { stores: [counter, log, late], invariants: 'refuse' } as const;
    expect(replayTrace(runtime.trace.export(), again).divergence).toBe(undefined);
    runtime.atomic(() => {
      runtime.reset(late);
      runtime.dispatch(added(2));
    });
    const [reset, last] = runtime.trace.steps.slice(-2);
    expect([reset.fact, reset.group]).toEqual(['reset', last.group]);
    runtime.trace.exclude(last.seq);
    expect([runtime.read(counter).n, runtime.read(late).z]).toEqual([4, 1]);
  });

  test('what a transaction defers is done to the end, and an error of one part is no error of the transaction', () => {
    const problems: unknown[] = [];
    const counter = store('counter', { n: 0 });
    const added = counter.action('added', (draft, by: number) => {
      if (Number.isNaN(by)) throw new Error('no number');
      draft.n += by;
    });
    const runtime = createRuntime({ stores: [counter], onProblem: ({ error }) => problems.push(error) });
    let context!: TaskContext;
    const wait = task('wait', (given) => {
      context = given;
      return new Promise(() => undefined);
    });
    void runtime.run(wait());
    const optimistic = context.optimistic(added(1));
    const other = runtime.run(wait());
    runtime.atomic(() => {
      runtime.dispatch(added(2));
      optimistic.confirm(added(NaN));
      other.cancel();
    });
    expect(problems).toHaveLength(1);
    expect([other.phase, runtime.read(counter).n]).toEqual(['cancelled', 3]);
    void runtime.close();
  });

  test('a transaction of 130,000 dispatches needs no stack', () => {
    const { counter, added } = declareCounter();
    const runtime = createRuntime({ stores: [counter] });
    const work = task('work', () => undefined);
    void runtime.run(work());
    runtime.atomic(() => {
      for (let i = 0; i < 130_000; i++) runtime.dispatch(added(0));
      runtime.dispatch(added(1));
    });
    expect(runtime.read(counter).n).toBe(1);
  });
});
