// Selectors in their corners; selectors.property.test.ts has them in long programs, tracking.test.ts what they read.
import { describe, expect, jest, test } from '@jest/globals';
import { at, createRuntime, selector, store, type Source } from 'floe';
import { hostOf } from '../../src/core/kernel/attachment.js';
import { liveSources } from '../../src/core/features/live.js';
import { recorded } from '../support/counter.js';

describe('selectors in their corners', () => {
  test('a circle of selectors is an error that names the chain', () => {
    const flag = store('flag', { on: true });
    const edits = flag.edits();
    const one: ReturnType<typeof selector<number, []>> = selector('one', (read): number =>
      read(flag).on ? read(two) : 1,
    );
    const two = selector('two', (read): number => read(one) + 1);
    const runtime = createRuntime({ stores: [flag] });
    expect(() => runtime.read(one)).toThrow(
      expect.objectContaining({
        code: 'FLOE_SELECTOR_CYCLE',
        message: expect.stringContaining('one -> two -> one') as unknown as string,
      }),
    );
    runtime.dispatch(edits.merge({ on: false }));
    expect([runtime.read(two), runtime.read(one)]).toEqual([2, 1]);
  });

  test('equal: deep keeps the value, and the watchers hear nothing', () => {
    const { counter, added, runtime } = recorded();
    const parity = counter.selector('parity', (state) => ({ even: state.n % 2 === 0 }), { equal: 'deep' });
    const notified = jest.fn();
    runtime.watch(parity, notified);
    const before = runtime.read(parity);
    runtime.dispatch(added(2));
    expect(runtime.read(parity)).toBe(before);
    expect(notified).not.toHaveBeenCalled();
  });

  test('at gives the fallback where nothing is, and follows when something comes', () => {
    const map = store('map', { of: {} as Record<string, { n: number }> });
    const put = map.action('put', (draft, key: string) => {
      draft.of[key] = { n: 1 };
    });
    const runtime = createRuntime({ stores: [map] });
    const deep = at(map, '/of/a~1b/n', 0);
    const notified: unknown[] = [];
    runtime.watch(deep, (now, before) => notified.push([before, now]));
    runtime.dispatch(put('x'));
    runtime.dispatch(put('a/b'));
    expect([
      runtime.read(deep),
      notified,
      runtime.read(at(map, '')),
      runtime.read(at(map, '/of/x/n/deeper', 'none')),
    ]).toEqual([1, [[0, 1]], runtime.read(map), 'none']);
  });
});

describe('values for different arguments', () => {
  function counting() {
    const { counter, runtime } = recorded();
    const { merge } = counter.edits();
    const set = (part: { n?: number; m?: number }) => runtime.dispatch(merge(part));
    /** How often the selector ran, by its argument. */
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
    return { counter, runtime, set, ran, plus };
  }

  test('an unwatched selector runs only when it is read', () => {
    const { runtime, set, ran, plus } = counting();
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

  test('unused results are cached as far as there is room, the latest first', () => {
    const { runtime, ran, plus } = counting();
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

  test.each<[string, (n: number) => Source<number>]>([
    ['without arguments', (n) => selector('made', () => n)],
    ['with arguments', (n) => selector('made', (_read, one: number) => one)(n)],
  ])('a selector made at each call is not kept for good: %s', (_what, make) => {
    const { runtime, counter } = counting();
    // The earliest of a process stay.
    for (let i = 0; i < 2000; i++) make(i);
    const watched = make(-1);
    const notified: number[] = [];
    const shown = selector('shown', (read) => read(watched) + read(counter).n);
    runtime.watch(shown, (now) => notified.push(now));
    for (let i = 0; i < 10_000; i++) expect(runtime.read(make(i))).toBe(i);
    expect(liveSources(hostOf(runtime)).length).toBeLessThan(2500);
    runtime.dispatch(counter.edits().merge({ n: 5 }));
    expect(notified).toEqual([4]);
  });
});
