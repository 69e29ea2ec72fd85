// Watchers and followers: of what they are notified, when, and what happens when something throws.
import { describe, expect, jest, test } from '@jest/globals';
import { at, createRuntime, selector, store, type Problem } from 'floe';
import { declareCounter, recorded } from '../support/counter.js';
import { codeOf } from '../support/failures.js';

function setting() {
  const { counter } = declareCounter();
  const { merge } = counter.edits();
  const onProblem = jest.fn();
  const runtime = createRuntime({ stores: [counter], onProblem });
  const set = (part: { n?: number; m?: number }) => runtime.dispatch(merge(part));
  return { counter, runtime, onProblem, set };
}

describe('watching', () => {
  test('a watcher that closes the runtime is the last one that is notified', () => {
    const { counter, runtime, set } = setting();
    const notified: string[] = [];
    runtime.watch(counter, () => {
      notified.push('first');
      void runtime.close();
    });
    runtime.watch(at(counter, '/n'), () => notified.push('second'));
    set({ n: 1 });
    expect(notified).toEqual(['first']);
  });

  test('watchers are notified after a report of a problem failed', () => {
    const { counter, runtime, onProblem, set } = setting();
    const fails = () => {
      throw new Error('no');
    };
    onProblem.mockImplementationOnce(fails);
    const written = jest.spyOn(console, 'error').mockImplementationOnce(fails);
    const notified: number[] = [];
    runtime.watch(counter, ({ n }) => {
      notified.push(n);
      if (n === 1) fails();
    });
    expect(() => set({ n: 1 })).toThrow('no');
    set({ n: 2 });
    written.mockRestore();
    expect(notified).toEqual([1, 2]);
  });

  test('a dispatch in a watcher comes after the present notification; an endless loop is stopped by name', () => {
    const { counter, added, runtime } = recorded();
    const order: string[] = [];
    const source = at(counter, '/n');
    runtime.watch(source, (now) => {
      if (now === 1) order.push(runtime.dispatch(added(1)));
      order.push(`first ${String(now)}`);
    });
    runtime.watch(source, (now) => order.push(`second ${String(now)}`));
    runtime.dispatch(added(1));
    expect(order).toEqual(['queued', 'first 1', 'second 1', 'first 2', 'second 2']);
    const stop = runtime.watch(source, () => runtime.dispatch(added(1)));
    expect(() => runtime.dispatch(added(1))).toThrow(/'counter.added' went round without end/);
    stop();
    expect(runtime.dispatch(added(1))).toBe('applied');
  });

  test('watchers may be added and removed while they are consoleErrors', () => {
    const { counter, added, runtime } = recorded();
    const order: string[] = [];
    const source = at(counter, '/n');
    const stops: (() => void)[] = [];
    stops.push(
      runtime.watch(source, () => {
        order.push('first');
        stops[1]();
        runtime.watch(source, () => order.push('new'));
        stops[0]();
      }),
    );
    stops.push(runtime.watch(source, () => order.push('second')));
    stops.push(runtime.watch(source, () => order.push('third')));
    runtime.dispatch(added(1));
    runtime.dispatch(added(1));
    expect(order).toEqual(['first', 'third', 'third', 'new']);
  });

  test('follow runs again when something that it read changed; what it dispatches comes after', () => {
    const { counter, added, written, runtime } = recorded();
    const seen: unknown[] = [];
    const stop = runtime.follow((read) => {
      const { n } = read(counter);
      seen.push(n);
      if (n === 1 || n === 2) seen.push(runtime.dispatch(added(1)));
    });
    runtime.dispatch(written('a line'));
    runtime.dispatch(added(1));
    stop();
    runtime.dispatch(added(1));
    expect([seen, runtime.read(counter).n]).toEqual([[0, 1, 'queued', 2, 'queued', 3], 4]);
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

  test('harms no other, and is reported: to the console where there is no listener, or the listener fails', () => {
    const error = jest.spyOn(console, 'error').mockImplementation(() => undefined);
    const { counter, added } = declareCounter();
    const [wrong, listener] = [new Error('on purpose'), new Error('the listener, too')];
    const reported: Problem[] = [];
    const consoleErrors = (onProblem?: (problem: Problem) => void) => {
      const runtime = createRuntime({ stores: [counter], ...(onProblem && { onProblem }) });
      const notified = jest.fn();
      runtime.watch(counter, () => {
        throw wrong;
      });
      runtime.watch(counter, notified);
      runtime.dispatch(added(1));
      expect(notified).toHaveBeenCalledTimes(1);
      return error.mock.calls.splice(0);
    };
    expect(consoleErrors((problem) => reported.push(problem))).toEqual([]);
    expect(reported).toEqual([{ error: wrong }]);
    expect(consoleErrors()).toEqual([[wrong]]);
    const failed = consoleErrors(() => {
      throw listener;
    });
    expect(failed.at(-1)).toEqual([listener]);
    error.mockRestore();
  });

  test('is handed to the watcher, and so is the next value', () => {
    const { runtime, onProblem, set, safe } = failing();
    const notified = jest.fn();
    const stop = runtime.watch(safe, notified);
    expect(onProblem).toHaveBeenLastCalledWith({ error: new RangeError('none') });
    set({ n: 1 });
    expect(notified).toHaveBeenLastCalledWith(1, undefined);
    set({ n: 0 });
    expect(onProblem).toHaveBeenCalledTimes(2);
    set({ n: 2 });
    expect(notified.mock.calls).toEqual([
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

  test('watchers are notified when a selector throws instead of giving undefined', () => {
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
    const notified: unknown[] = [];
    runtime.watch(outer, (now) => void notified.push(now), { now: true });
    for (const n of [1, 2, 3]) set({ n });
    expect(notified).toEqual(['nothing', 'failed', 'nothing', 'failed']);
  });
});

describe('a live selection', () => {
  const counter = store('counter', { n: 0 });
  const counted = counter.action('counted', (draft) => {
    draft.n++;
  });
  const n = counter.selector('n', (state) => state.n);

  test('is an observable, for functions, for observers, and for observers that take nothing', () => {
    const onProblem = jest.fn();
    const runtime = createRuntime({ stores: [counter], onProblem });
    const selection = runtime.select(n);
    const observable = selection as unknown as Record<string, () => unknown>;
    const key = (Symbol as { observable?: symbol }).observable ?? '@@observable';
    expect(observable[key as string]()).toBe(selection);
    expect(Object.keys(selection)).not.toContain(key);
    const seen: string[] = [];
    const stops = [
      selection.subscribe((value) => seen.push(`function ${value}`)),
      selection.subscribe({ next: (value) => seen.push(`observer ${value}`) }),
      selection.subscribe({}),
    ];
    runtime.dispatch(counted());
    expect(seen).toEqual(['function 0', 'observer 0', 'function 1', 'observer 1']);
    for (const stop of stops) stop.unsubscribe();
    runtime.dispatch(counted());
    expect(seen).toHaveLength(4);
    expect(onProblem).not.toHaveBeenCalled();
  });

  test('iteration gives the latest to who is slow, and ends when it is left, even while it waits', async () => {
    const runtime = createRuntime({ stores: [counter] });
    const iterator = runtime.select(n)[Symbol.asyncIterator]();
    for (let i = 0; i < 3; i++) runtime.dispatch(counted());
    expect(await iterator.next()).toEqual({ done: false, value: 3 });
    const waiting = iterator.next();
    runtime.dispatch(counted());
    expect(await waiting).toEqual({ done: false, value: 4 });
    const last = iterator.next();
    expect(await iterator.return!()).toEqual({ done: true, value: undefined });
    expect(await last).toEqual({ done: true, value: undefined });
    expect(await iterator.next()).toEqual({ done: true, value: undefined });
    runtime.dispatch(counted());
    expect(await iterator.next()).toEqual({ done: true, value: undefined });
  });

  test('it has the present value, gives it first, and may be left while no caller waits', async () => {
    const runtime = createRuntime({ stores: [counter] });
    const selection = runtime.select(n);
    const iterator = selection[Symbol.asyncIterator]();
    expect([selection.value, await iterator.next()]).toEqual([0, { done: false, value: 0 }]);
    runtime.dispatch(counted());
    expect([selection.value, await iterator.return!()]).toEqual([1, { done: true, value: undefined }]);
  });
});
