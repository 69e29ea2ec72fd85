// Transactions, and batches of notifications.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, task } from 'floe';
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
