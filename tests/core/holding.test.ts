// What bindings rely on: values that a component holds, errors of sources, and what a binding's watcher throws.
import { describe, expect, jest, test } from '@jest/globals';
import { createRuntime, selector, store, task, type Problem, type Read, type Runtime } from '../../src/core/index.js';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { Hold, holdOf, selectedRecipe } from '../../src/core/features/hold.js';
import { codeOf } from '../support/failures.js';

setFlagsFromString('--expose-gc');
const gc = runInNewContext('gc') as () => void;

function setting(given: object = {}) {
  const counter = store('counter', { n: 0, m: 0 });
  const problems: Problem[] = [];
  const runtime = createRuntime({ stores: [counter], onProblem: (problem) => problems.push(problem), ...given });
  const { merge } = counter.edits();
  const set = (part: { n?: number; m?: number }) => runtime.dispatch(merge(part));
  return { counter, runtime, problems, set, merge };
}

const hold = <T>(runtime: Runtime, of: (read: Read) => T): Hold<T> => holdOf(runtime, selectedRecipe<T>(of));

describe('a hold', () => {
  test('the engine releases the hold of a rendering that was thrown away', async () => {
    const { counter, runtime, set } = setting();
    let runs = 0;
    const many = counter.selector('many', (state, i: number) => {
      runs++;
      return [state.n + i];
    });
    const render = (): number[] =>
      Array.from({ length: 300 }, (_, i) => holdOf(runtime, selectedRecipe(many(i))).get()[0]);
    expect(render()).toHaveLength(300);
    // All are kept until the engine collects the holds: none runs again.
    render();
    expect(runs).toBe(300);
    const runsAgain = (): boolean => {
      runs = 0;
      for (let i = 0; i < 300; i++) runtime.read(many(i));
      return runs > 0;
    };
    expect(runsAgain()).toBe(false);
    for (let i = 0; i < 100 && !runsAgain(); i++) {
      gc();
      await new Promise((resolve) => setTimeout(resolve, 5));
    }
    // As many as the selector keeps, a hundred, are left of them.
    expect(runsAgain()).toBe(true);
    expect(set({ n: 1 })).toBe('applied');
  });

  test('a hold that never subscribed is collected, also where its function leads to it', async () => {
    const { counter, runtime } = setting();
    const gone = Array.from({ length: 20 }, () => {
      const component = { add: 1, hold: undefined as unknown };
      const own = hold(runtime, (read) => read(counter).n + component.add);
      component.hold = own;
      expect(own.get()).toBe(1);
      return new WeakRef(component);
    });
    const alive = (): number => gone.filter((one) => one.deref()).length;
    for (let i = 0; i < 10 && alive() > 0; i++) {
      // What was looked at stays until the end of the turn.
      await new Promise((resolve) => setTimeout(resolve, 5));
      gc();
    }
    expect(alive()).toBe(0);
    expect(runtime.read(counter).n).toBe(0);
  });

  test('beginning() selects from the states that the stores began with', () => {
    const kept = store('kept', { list: ['a'], other: 0 });
    const { replace, merge } = kept.edits();
    const runtime = createRuntime({ stores: [kept], initial: { kept: { list: ['given'], other: 1 } } });
    const list = hold(runtime, (read) => [...read(kept).list]);
    expect(list.beginning()).toBe(list.get());
    runtime.dispatch(merge({ other: 2 }));
    const again = hold(runtime, (read) => [...read(kept).list]);
    expect(again.beginning()).toBe(again.get());
    runtime.dispatch(replace({ list: ['now'], other: 3 }));
    const changed = hold(runtime, (read) => [...read(kept).list]);
    expect([changed.beginning(), changed.get()]).toEqual([['given'], ['now']]);
    expect(changed.beginning()).toBe(changed.beginning());
  });

  test('a hold of a closed runtime throws FLOE_CLOSED', () => {
    const { counter, runtime } = setting();
    const one = hold(runtime, (read) => read(counter).n);
    one.subscribe(() => undefined);
    void runtime.close();
    expect(codeOf(() => one.get())).toBe('FLOE_CLOSED');
  });
});

describe('errors of a watched source', () => {
  const failing = () => {
    const all = setting();
    const strict = all.counter.selector('strict', ({ n }) => {
      if (n % 2 === 1) throw new Error(`odd ${n}`);
      return n;
    });
    return { ...all, strict };
  };

  test('errors of a source reach onError once each', () => {
    const { runtime, set, strict, problems } = failing();
    const notified: unknown[] = [];
    runtime.watch(strict, (now, before) => notified.push([now, before]), {
      onError: (error) => notified.push(String(error)),
    });
    for (const n of [1, 1, 3, 0, 2]) set({ n, m: n });
    set({ m: 9 });
    expect(notified).toEqual(['Error: odd 1', 'Error: odd 3', [0, 0], [2, 0]]);
    expect(problems).toEqual([]);
  });

  test('errors of a source are reported once where no watcher has a handler', () => {
    const { runtime, set, strict, problems } = failing();
    const notified: unknown[] = [];
    set({ n: 1 });
    runtime.watch(strict, (now) => notified.push(now), { now: true });
    runtime.watch(strict, (now) => notified.push(now));
    set({ n: 3 });
    set({ n: 4 });
    expect(notified).toEqual([4, 4]);
    expect(problems.map(({ error }) => String(error))).toEqual(['Error: odd 1', 'Error: odd 1', 'Error: odd 3']);
  });

  test('end a subscription with an error handler, and an iteration', async () => {
    const { runtime, set, strict } = failing();
    const notified: unknown[] = [];
    runtime
      .select(strict)
      .subscribe({ next: (now) => notified.push(now), error: (error) => notified.push(String(error)) });
    const loop = (async () => {
      for await (const now of runtime.select(strict)) notified.push(`loop ${now}`);
    })();
    await Promise.resolve();
    set({ n: 1 });
    set({ n: 2 });
    await expect(loop).rejects.toThrow('odd 1');
    expect(notified).toEqual([0, 'loop 0', 'Error: odd 1']);
    set({ n: 3 });
    const late: unknown[] = [];
    runtime.select(strict).subscribe({ next: () => late.push('value'), error: (error) => late.push(String(error)) });
    set({ n: 2 });
    expect(late).toEqual(['Error: odd 3']);
  });
});

describe('what a binding throws while it is notified', () => {
  const bound = () => {
    const all = setting();
    const other = jest.fn();
    const one = hold(all.runtime, (read) => read(all.counter).n);
    one.subscribe(() => {
      throw new Error(`rendering ${one.get()}`);
    });
    all.runtime.watch(all.counter, other);
    return { ...all, other };
  };

  test('is thrown by the dispatch after all watchers notified, and the transition stays', () => {
    const { runtime, set, counter, other, problems } = bound();
    expect(() => set({ n: 1 })).toThrow('rendering 1');
    expect([runtime.read(counter).n, other.mock.calls.length, problems]).toEqual([1, 1, []]);
  });

  test('is thrown by the outermost call: a batch, a transaction, a reset, a run', async () => {
    const { runtime, set, counter, problems, merge } = bound();
    const inner: unknown[] = [];
    expect(() => runtime.batch(() => inner.push(set({ n: 1 })))).toThrow('rendering 1');
    expect(() => runtime.atomic(() => inner.push(set({ n: 2 })))).toThrow('rendering 2');
    expect(() => runtime.reset()).toThrow('rendering 0');
    const count = task(counter, 'count', ({ dispatch }) => dispatch(merge({ n: 5 })));
    expect(() => runtime.run(count())).toThrow('rendering 5');
    expect([inner, runtime.read(count.status).phase, problems]).toEqual([['applied', 'applied'], 'done', []]);
    // Without a caller it is reported.
    const later = task(counter, 'later', async ({ sleep }) => {
      await sleep(1);
    });
    const status = holdOf(runtime, selectedRecipe(later.status));
    status.subscribe(() => {
      if (status.get().phase === 'done') throw new Error('shown');
    });
    await runtime.run(later());
    expect(problems.map(({ error }) => String(error))).toEqual(['Error: shown']);
  });

  test('an error of an application watcher is reported instead', () => {
    const { runtime, set, counter, problems } = setting();
    runtime.watch(counter, () => {
      throw new Error('mine');
    });
    expect(set({ n: 1 })).toBe('applied');
    expect(problems).toHaveLength(1);
  });
});

describe('an endless loop of watchers', () => {
  test('an endless loop of watchers stops, and a long queue of one watcher is no loop', () => {
    const { runtime, set, counter } = setting();
    const double = counter.selector('double', ({ n }) => n * 2);
    const stop = runtime.watch(double, () => {
      for (let i = 0; i < 3000; i++) runtime.dispatch(counter.edits().merge({ m: i }));
    });
    expect(set({ n: 1 })).toBe('applied');
    expect(runtime.read(counter).m).toBe(2999);
    stop();
    runtime.watch(double, (now) => runtime.dispatch(counter.edits().merge({ n: now })));
    let last = 0;
    runtime.watch(double, () => (last = runtime.read(counter).n));
    expect(codeOf(() => set({ n: 2 }))).toBe('FLOE_ENDLESS_LOOP');
    expect(last).toBe(runtime.read(counter).n);
    expect(runtime.dispatch(counter.edits().merge({ m: -1 }))).toBe('applied');
  });
});

describe('an endless loop of tasks', () => {
  const counting = store('counting', { asked: 0, answered: 0 });
  const asked = counting.action('asked', (draft) => {
    draft.asked++;
  });
  const answered = counting.action('answered', (draft) => {
    draft.answered++;
  });
  task(counting, 'answer', ({ dispatch }) => void dispatch(answered()), { when: asked });
  const begun = counting.action('begun', (_draft, _times: number) => undefined);
  task(
    counting,
    'askMany',
    ({ dispatch }, times: number) => {
      for (let i = 0; i < times; i++) dispatch(asked());
    },
    { when: begun },
  );

  test('1,500 actions of one run are no endless loop', () => {
    const problems: Problem[] = [];
    const runtime = createRuntime({ stores: [counting], onProblem: (problem) => problems.push(problem) });
    runtime.dispatch(begun(1500));
    expect([runtime.read(counting), problems]).toEqual([{ asked: 1500, answered: 1500 }, []]);
  });

  test('an endless loop of tasks stops, and the rest of the run continues', () => {
    const problems: Problem[] = [];
    const loop = store('loop', { n: 0 });
    const went = loop.action('went', (draft) => {
      draft.n++;
    });
    task(loop, 'goOn', ({ dispatch }) => void dispatch(went()), { when: went });
    const both = task(loop, 'both', ({ dispatch }) => {
      dispatch(went());
      dispatch(asked());
    });
    const runtime = createRuntime({ stores: [loop, counting], onProblem: (problem) => problems.push(problem) });
    void runtime.run(both());
    expect(
      problems.map(({ error }) =>
        codeOf(() => {
          throw error;
        }),
      ),
    ).toEqual(['FLOE_ENDLESS_LOOP']);
    expect(String(problems[0].error)).toContain("'loop.goOn'");
    expect([runtime.read(loop).n > 100, runtime.read(counting).answered]).toEqual([true, 1]);
    expect(runtime.dispatch(asked())).toBe('applied');
  });
});

describe('depth', () => {
  test('a chain of selectors that is too long is an error with both ends, read at once or bit by bit', () => {
    const { counter, runtime, set } = setting();
    const chain = [selector('link 0', (read) => read(counter).n)];
    for (let i = 1; i < 3000; i++) chain.push(selector(`link ${i}`, (read) => read(chain[i - 1])));
    expect(runtime.read(chain[900])).toBe(0);
    expect(() => runtime.read(chain[2999])).toThrow(/begins with 'link 2999', and 'link \d+' is one too many/);
    expect(codeOf(() => runtime.read(chain[2999]))).toBe('FLOE_TOO_DEEP');
    for (const link of chain) runtime.read(link);
    set({ n: 1 });
    expect(codeOf(() => runtime.read(chain[2999]))).toBe('FLOE_TOO_DEEP');
    expect(runtime.read(chain[900])).toBe(1);
    for (const link of chain) runtime.read(link);
    expect(runtime.read(chain[2999])).toBe(1);
  });
});

test('closing ends iterations and completes subscriptions', async () => {
  const { runtime, counter } = setting();
  const seen: unknown[] = [];
  const complete = jest.fn();
  runtime.select(counter).subscribe({ next: ({ n }) => seen.push(n), complete });
  const loop = (async () => {
    for await (const { n } of runtime.select(counter)) seen.push(n);
    return 'ended';
  })();
  const iterator = runtime.select(counter)[Symbol.asyncIterator]();
  const asked = [iterator.next(), iterator.next(), iterator.next()];
  await Promise.resolve();
  void runtime.close();
  expect(await loop).toBe('ended');
  expect((await Promise.all(asked)).map(({ done }) => done)).toEqual([false, true, true]);
  expect([seen, complete.mock.calls.length]).toEqual([[0, 0], 1]);
});
