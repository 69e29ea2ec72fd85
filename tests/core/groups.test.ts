// Transactions, and batches of notifications.
import { describe, expect, test } from '@jest/globals';
import { task } from 'floe';
import { listen } from '../../src/core/kernel/recorder.js';
import type { Transition } from '../../src/core/kernel/transition.js';
import { recorded } from '../support/counter.js';
import { codeOf, failure } from '../support/failures.js';

describe('rule 2: atomic', () => {
  test('rules are judged once, at its end; nothing in it may decide later', () => {
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

  test('one inside another commits or rolls back with it; rules that are only reported are reported once', () => {
    const { counter, added, failing, runtime, problems, host } = recorded();
    const told: Transition[] = [];
    const stop = listen(host, { transition: (transition) => told.push(transition), close: () => void told.splice(0) });
    counter.invariant('small', ({ n }) => n < 3);
    const work = (then?: () => void) =>
      runtime.atomic(() => {
        runtime.atomic(() => runtime.dispatch(added(5)));
        expect(codeOf(() => runtime.dispatch(failing()))).toBe('FLOE_CHANGE_FAILED');
        runtime.dispatch(added(0));
        then?.();
      });
    const before = runtime.read(counter);
    expect(
      codeOf(() =>
        work(() => {
          throw new RangeError('out');
        }),
      ),
    ).toBe('RangeError: out');
    expect(runtime.read(counter)).toBe(before);
    told.length = 0;
    work();
    expect([runtime.read(counter).n, problems.length]).toEqual([5, 1]);
    expect(problems[0]).toMatchObject({ error: { code: 'FLOE_INVARIANT_BROKEN' }, action: added(0) });
    expect(told.map(({ outcome, caught }) => [outcome, caught])).toEqual([
      ['applied', false],
      ['failed', true],
      ['unchanged', false],
    ]);
    stop();
    runtime.dispatch(added(-5));
    expect([told.length, runtime.trace.steps.at(-1)!.action]).toEqual([3, added(-5)]);
  });
});
