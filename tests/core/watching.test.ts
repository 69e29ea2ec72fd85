// Who watches, follows and reads: what runs when, what is kept, and what is told when something throws.
import { describe, expect, jest, test } from '@jest/globals';
import { createRuntime, selector, store } from 'floe';
import { note, Port, Reader } from '../../src/core/graph.js';
import { codeOf } from '../support/failures.js';

function setting() {
  const counter = store('counter', { n: 0, m: 0 });
  const { merge } = counter.edits();
  const onProblem = jest.fn();
  const runtime = createRuntime({ stores: [counter], onProblem });
  const set = (part: { n?: number; m?: number }) => runtime.dispatch(merge(part));
  /** A selector that counts its runs by its argument. */
  const ran: Record<number, number> = {};
  const plus = (keep: number) =>
    counter.selector(
      'plus',
      (state, more: number) => {
        ran[more] = (ran[more] ?? 0) + 1;
        return state.n + more;
      },
      { keep },
    );
  return { counter, runtime, onProblem, set, ran, plus };
}

describe('nothing runs in vain', () => {
  test('what nobody watches runs when it is asked for; what is watched no more, too', () => {
    const { runtime, set, ran, plus } = setting();
    const ten = plus(2)(10);
    runtime.read(ten);
    set({ n: 1 });
    expect(ran).toEqual({ 10: 1 });
    expect(runtime.read(ten)).toBe(11);
    const stops = [1, 2].map(() => runtime.watch(ten, () => undefined));
    set({ n: 2 });
    expect(ran).toEqual({ 10: 3 });
    for (const stop of [...stops, ...stops]) stop();
    set({ n: 3 });
    expect(ran).toEqual({ 10: 3 });
  });

  test('a store that is what it was before is no news to who follows it', () => {
    const { counter, runtime, set } = setting();
    const follow = jest.fn((read: typeof runtime.read) => void read(counter));
    runtime.follow(follow);
    const failed = codeOf(() =>
      runtime.atomic(() => {
        set({ n: 1 });
        throw new RangeError('on purpose');
      }),
    );
    expect([failed, follow.mock.calls.length]).toEqual(['RangeError: on purpose', 1]);
    set({ n: 1 });
    expect(follow).toHaveBeenCalledTimes(2);
  });

  test('who is stopped by another that is told of the same change', () => {
    const { counter, runtime, set } = setting();
    const follow = jest.fn((read: typeof runtime.read) => void read(counter));
    let stopFollowing: () => void = () => undefined;
    let stopWatching: () => void = () => undefined;
    const watch = jest.fn();
    runtime.watch(counter, () => {
      stopFollowing();
      stopWatching();
    });
    stopFollowing = runtime.follow(follow);
    stopWatching = runtime.watch(counter, watch);
    set({ n: 1 });
    expect([follow.mock.calls.length, watch.mock.calls.length]).toEqual([1, 0]);
  });
});

describe('values for different arguments', () => {
  test('those that nobody uses are kept as far as there is room, the latest first', () => {
    const { runtime, ran, plus } = setting();
    const some = plus(2);
    for (const n of [1, 2, 1, 3, 1, 3]) runtime.read(some(n));
    expect(ran).toEqual({ 1: 1, 2: 1, 3: 1 });
    runtime.read(some(2));
    expect(ran[2]).toBe(2);
    const stops = [3, 2, 1].map((n) => runtime.watch(some(n), () => undefined));
    expect(ran).toEqual({ 1: 2, 2: 2, 3: 1 });
    for (const n of [4, 5, 6, 1, 2, 3, 5, 6]) runtime.read(some(n));
    expect(ran).toEqual({ 1: 2, 2: 2, 3: 1, 4: 1, 5: 1, 6: 1 });
    for (const stop of stops) stop();
    for (const n of [2, 1]) runtime.read(some(n));
    expect(ran).toEqual({ 1: 2, 2: 2, 3: 1, 4: 1, 5: 1, 6: 1 });
    for (const n of [6, 3]) runtime.read(some(n));
    expect([ran[6], ran[3]]).toEqual([2, 2]);
  });

  test('those that another selector reads stay, and go when it reads them no more', () => {
    const { counter, runtime, set, ran, plus } = setting();
    const some = plus(1);
    const outer = selector('outer', (read) => (read(counter).m === 0 ? read(some(1)) : 0));
    const heard = jest.fn();
    const stop = runtime.watch(outer, heard);
    for (const n of [2, 3]) runtime.read(some(n));
    set({ n: 5 });
    expect(heard).toHaveBeenLastCalledWith(6, 1);
    const once = ran[1];
    runtime.read(some(1));
    expect(ran[1]).toBe(once);
    set({ m: 1 });
    for (const n of [2, 1]) runtime.read(some(n));
    expect(ran[1]).toBe(once + 1);
    stop();
  });
});

describe('what throws', () => {
  const failing = () => {
    const all = setting();
    const safe = all.counter.selector('safe', ({ n }) => {
      if (n === 0) throw new RangeError('none');
      return n;
    });
    return { ...all, safe };
  };

  test('is reported to who watches, and the next value is told', () => {
    const { runtime, onProblem, set, safe } = failing();
    const heard = jest.fn();
    const stop = runtime.watch(safe, heard);
    expect(onProblem).toHaveBeenLastCalledWith({ error: new RangeError('none') });
    set({ n: 1 });
    expect(heard).toHaveBeenLastCalledWith(1, undefined);
    set({ n: 0 });
    expect(onProblem).toHaveBeenCalledTimes(2);
    set({ n: 2 });
    expect(heard.mock.calls).toEqual([
      [1, undefined],
      [2, 1],
    ]);
    stop();
  });

  test('ends following at once; later it is reported, and followed on', () => {
    const { runtime, onProblem, set, safe } = failing();
    const follow = jest.fn((read: typeof runtime.read) => void read(safe));
    expect(codeOf(() => runtime.follow(follow))).toBe('RangeError: none');
    set({ n: 1 });
    expect(follow).toHaveBeenCalledTimes(1);
    runtime.follow(follow);
    set({ n: 0 });
    expect(onProblem).toHaveBeenLastCalledWith({ error: new RangeError('none') });
    set({ n: 2 });
    expect(follow).toHaveBeenCalledTimes(4);
  });

  test('instead of giving nothing is told on, and the other way round', () => {
    const { counter, runtime, set } = setting();
    const odd = counter.selector('odd', ({ n }): string | undefined => {
      if (n % 2 === 1) throw new RangeError('odd');
      return undefined;
    });
    const outer = selector('outer', (read) => {
      try {
        return read(odd) ?? 'nothing';
      } catch {
        return 'failed';
      }
    });
    const heard: unknown[] = [];
    runtime.watch(outer, (now) => void heard.push(now), { now: true });
    for (const n of [1, 2, 3]) set({ n });
    expect(heard).toEqual(['nothing', 'failed', 'nothing', 'failed']);
  });

  test('a circle is named with its arguments, from where it closes', () => {
    const { runtime } = setting();
    const round: ReturnType<typeof selector<number, [step: number]>> = selector('round', (read, step: number): number =>
      read(round((step + 1) % 2)),
    );
    const outside = selector('outside', (read) => read(round(0)));
    expect(() => runtime.read(outside)).toThrow(/[^>] round\(0\) -> round\(1\) -> round\(0\)/);
  });
});

test('a store of one value is read in selectors like any other', () => {
  const count = store('count', 1);
  const added = count.action('added', (n, more: number) => n + more);
  const double = selector('double', (read) => read(count) * 2);
  const runtime = createRuntime({ stores: [count] });
  const heard = jest.fn();
  runtime.watch(double, heard);
  runtime.dispatch(added(2));
  expect(heard.mock.calls).toEqual([[6, 2]]);
});

test('what is read in another order, and then no more, is let go of', () => {
  const [a, b] = [new Port(), new Port()];
  let order = [a, b];
  class Ordered extends Reader {
    readonly name = 'ordered';
    protected derive(): void {
      for (const port of order) note(port);
    }
  }
  const reader = new Ordered();
  for (const next of [[a, b], [b, a], [a, b], [a]]) {
    order = next;
    a.mark();
    reader.get();
    expect([a.read, b.read]).toEqual([true, next.includes(b)]);
  }
});
