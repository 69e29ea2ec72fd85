// Stores that come and go, are copied and declared again; and runtimes side by side.
import { describe, expect, test } from '@jest/globals';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { copyOf, action, at, createRuntime, defaultRuntime, store, type Problem, task } from 'floe';
import { memoryStorage } from 'floe/persist';
import { recording, undoStack } from 'floe/trace';
import { declareCounter, recorded } from '../support/counter.js';
import { codeOf } from '../support/failures.js';

setFlagsFromString('--expose-gc');
const gc = runInNewContext('gc') as () => void;

describe('rule 5: stores that come and go', () => {
  test('a store joins at its first read, or at the first action that one of its creators made, without notifying a watcher', () => {
    const { counter, added } = declareCounter();
    const runtime = createRuntime({ trace: recording() });
    expect(codeOf(() => runtime.dispatch({ type: 'counter.added', payload: 1 }))).toBe('FLOE_UNKNOWN_ACTION');
    expect(runtime.dispatch(added(1))).toBe('applied');
    expect(runtime.dispatch({ type: 'counter.added', payload: 1 })).toBe('applied');
    expect(runtime.read(counter).n).toBe(2);
    expect(runtime.trace.steps.map(({ fact, action: one }) => fact ?? one?.type)).toEqual([
      'joined',
      'counter.added',
      'counter.added',
    ]);
  });

  test('a store handles an action from its declaration on', () => {
    const { counter, added } = declareCounter();
    const runtime = createRuntime({ stores: [counter] });
    runtime.dispatch(added(1));
    counter.when(added, (draft, by) => {
      draft.m += by;
    });
    runtime.dispatch(added(2));
    expect(runtime.read(counter)).toEqual({ n: 3, m: 2 });
  });

  test('modules that import each other in a circle name actions by a function', () => {
    const later: { opened?: ReturnType<typeof action<number>> } = {};
    const thing = store('thing', { last: 0 });
    thing.when(
      () => later.opened!,
      (draft, n) => {
        draft.last = n;
      },
    );
    later.opened = action<number>('opened');
    const runtime = createRuntime({ stores: [thing] });
    runtime.dispatch(later.opened(7));
    expect(runtime.read(thing).last).toBe(7);
  });

  test('a copy of a store has its own state, actions and selectors', () => {
    const { counter, added } = declareCounter();
    const n = counter.selector('value', (state, times: number) => state.n * times);
    const plain = counter.selector('plain', (state) => state.n);
    const left = copyOf(counter, 'left');
    const runtime = createRuntime({ stores: [counter, left], trace: recording() });
    const addedLeft = left.its(added);
    runtime.dispatch(addedLeft(3));
    runtime.dispatch(added(1));
    expect([
      runtime.read(left.its(n)(2)),
      runtime.read(n(2)),
      runtime.read(left.its(plain)),
      runtime.read(at(left, '/n')),
    ]).toEqual([6, 2, 3, 3]);
    expect(runtime.trace.steps[1]).toMatchObject({ action: { type: 'left.added' }, stores: ['left'] });
    expect(left.its(added)).toBe(addedLeft);
    // A store whose name is as long, with an action and a selector of those names.
    const some = store('some', { n: 0 });
    const others = [
      action('other'),
      some.action('added', (draft) => void (draft.n += 1)),
      some.selector('value', () => 0),
    ];
    for (const other of others) expect(codeOf(() => left.its(other as never))).toBe('FLOE_NOT_ITS_OWN');
    runtime.dispatch((others[1] as () => { type: string })());
    expect(runtime.read(left).n).toBe(3);
  });

  test('what is declared of a store later counts for its copies too', () => {
    const { counter, added } = declareCounter();
    const left = copyOf(counter, 'left');
    const runtime = createRuntime({ stores: [left], invariants: 'refuse' });
    const ended = action('ended');
    counter.when(ended, (draft) => {
      draft.m = 7;
    });
    counter.invariant('small', ({ n }) => n < 5);
    const asked = counter.action('asked', (draft) => void (draft.m += 1), { about: { confirm: 'Sure?' } });
    const twice = counter.action('twice', (draft) => void (draft.n += 1));
    const wrong = counter.selector('wrong', () => runtime.dispatch(ended()));
    runtime.dispatch(ended());
    runtime.dispatch(left.its(twice)());
    expect(runtime.read(left)).toEqual({ n: 1, m: 7 });
    expect(codeOf(() => runtime.dispatch(left.its(added)(9)))).toBe('FLOE_INVARIANT_BROKEN');
    expect(left.its(asked).about).toEqual({ confirm: 'Sure?' });
    expect(() => runtime.dispatch({ type: 'left.aded' })).toThrow(/Did you mean 'left.added'/);
    expect(() => runtime.read(left.its(wrong))).toThrow("the selector 'left.wrong'");
  });

  test('a reloaded module takes over: state stays, new fields begin, lost ones are reported, watchers go on', () => {
    const before = store('panel', { open: false, old: 1 });
    const opened = before.action('opened', (draft) => {
      draft.open = true;
    });
    const isOpen = before.selector('isOpen', (state) => state.open);
    const problems: Problem[] = [];
    const runtime = createRuntime({ stores: [before], onProblem: (problem) => problems.push(problem) });
    const notified: boolean[] = [];
    runtime.watch(isOpen, (now) => notified.push(now));
    runtime.dispatch(opened());
    const after = store('panel', { open: false, fresh: 2 });
    const closed = after.action('closed', (draft) => {
      draft.open = false;
    });
    expect(codeOf(() => runtime.add(after))).toBe('FLOE_NAME_TAKEN');
    runtime.renew(after);
    expect(runtime.read(after)).toEqual({ open: true, old: 1, fresh: 2 });
    expect(problems).toMatchObject([{ error: { code: 'FLOE_FIELDS_LOST' } }]);
    runtime.dispatch(closed());
    expect([notified, runtime.read(isOpen), runtime.read(before)]).toEqual([[true, false], false, runtime.read(after)]);
  });

  test('rule 5: what tasks of the old module did stays their status', async () => {
    const [before, after] = [1, 2].map(() => store('panel', { open: false }));
    const old = task(before, 'load', () => Promise.resolve());
    const runtime = createRuntime({ stores: [before] });
    await runtime.run(old());
    const load = task(after, 'load', () => Promise.resolve());
    runtime.renew(after);
    expect(runtime.read(load.status)).toMatchObject({ phase: 'done', runs: 1 });
    await runtime.run(load());
    expect([runtime.read(old.status).runs, runtime.read(load.status).runs]).toEqual([2, 2]);
  });
});

describe('stores', () => {
  test('a store may be added twice, and another one of its name may not', () => {
    const { counter, runtime, log } = recorded();
    const steps = runtime.trace.steps.length;
    runtime.add(counter, log);
    expect(runtime.trace.steps).toHaveLength(steps);
    const other = store('counter', { n: 7 });
    expect(codeOf(() => runtime.read(other))).toBe('FLOE_NAME_TAKEN');
    expect(codeOf(() => createRuntime({ stores: [counter, other] }))).toBe('FLOE_NAME_TAKEN');
  });

  test.each(['renewed', 'read'])('that were %s after a reload are still stored, undone and reset', async (how) => {
    const declare = (by: number, version: number) => {
      const notes = store('notes', { n: 0, other: 0 }).persisted({ only: ['n'], version });
      return { notes, counted: notes.action('counted', (draft) => void (draft.n += by)) };
    };
    const [old, next] = [declare(1, 1), declare(10, how === 'renewed' ? 2 : 1)];
    const texts = new Map<string, string>();
    const runtime = createRuntime({
      stores: [old.notes],
      trace: recording(),
      storage: memoryStorage(texts),
      onProblem: () => undefined,
    });
    const undo = undoStack(runtime, { stores: [old.notes] });
    runtime.dispatch(old.counted());
    if (how === 'renewed') runtime.renew(next.notes);
    else runtime.read(next.notes);
    runtime.dispatch(next.counted());
    expect(await runtime.persistence.flush()).toBe(true);
    const reloaded = createRuntime({ stores: [next.notes], storage: memoryStorage(texts) });
    expect([reloaded.read(next.notes).n, reloaded.persistence.problems]).toEqual([11, []]);
    expect([undo.undos, undo.undo().became, undo.undo().became]).toEqual([2, 'done', 'done']);
    expect(runtime.read(old.notes).n).toBe(0);
    expect(await runtime.persistence.forget(old.notes)).toBe(true);
  });

  test('200 reloads of a module leave one definition, one handler and one value', async () => {
    const declare = (by: number) => {
      const panel = store('panel', { n: 0 });
      const counted = panel.action('counted', (draft) => void (draft.n += by));
      const shown = panel.selector('shown', ({ n }) => `${n} by ${by}`);
      return { panel, counted, shown, count: task(panel, 'count', ({ dispatch }) => void dispatch(counted())) };
    };
    const first = declare(0);
    // No trace: the actions that it keeps hold their creators.
    const runtime = createRuntime({ stores: [first.panel] });
    const seen: string[] = [];
    runtime.watch(first.shown, (text) => seen.push(text));
    const old: WeakRef<object>[] = [];
    const reload = async (by: number): Promise<void> => {
      const next = declare(by);
      old.push(new WeakRef(next.panel));
      runtime.renew(next.panel);
      // A module that was not reloaded still holds the first one.
      runtime.dispatch(by % 2 === 0 ? first.counted() : next.counted());
      await runtime.run(by % 3 === 0 ? first.count() : next.count());
    };
    let n = 0;
    for (let by = 1; by <= 200; by++) {
      await reload(by);
      n += 2 * by;
    }
    expect([runtime.read(first.panel).n, seen.at(-1)]).toEqual([n, `${n} by 200`]);
    const alive = (): number => old.filter((one) => one.deref()).length;
    for (let i = 0; i < 10 && alive() > 2; i++) {
      await new Promise((resolve) => setTimeout(resolve, 5));
      gc();
    }
    expect(alive()).toBeLessThanOrEqual(2);
  });

  test('of a module that was evaluated again are renewed where their fields are the same, and that is said once', async () => {
    const declare = (by: number) => {
      const panel = store('panel', { n: 0 });
      return {
        panel,
        counted: panel.action('counted', (draft) => void (draft.n += by)),
        shown: panel.selector('shown', ({ n }) => n * by),
        count: task(panel, 'count', () => by),
      };
    };
    const [old, next, last] = [1, 10, 100].map(declare);
    const problems: Problem[] = [];
    const runtime = createRuntime({ stores: [old.panel], onProblem: (problem) => problems.push(problem) });
    const notified: number[] = [];
    runtime.watch(old.shown, (now) => notified.push(now));
    runtime.dispatch(old.counted());
    expect(runtime.read(next.shown)).toBe(10);
    // It may have been read in a rendering, so watchers are notified later.
    expect(notified).toEqual([1]);
    await Promise.resolve();
    expect([notified, runtime.read(old.shown), runtime.read(old.panel)]).toEqual([[1, 10], 10, { n: 1 }]);
    runtime.dispatch(old.counted());
    expect([runtime.read(next.panel).n, await runtime.run(old.count())]).toEqual([11, 10]);
    runtime.add(last.panel);
    expect([runtime.read(old.shown), runtime.read(next.shown)]).toEqual([1100, 1100]);
    expect(problems).toMatchObject([{ error: { code: 'FLOE_NAME_TAKEN' } }]);
    expect(String(problems[0].error)).toContain('runtime.renew(next.panel)');
    // Two of them at once are no reload.
    expect(codeOf(() => createRuntime({ stores: [old.panel, next.panel] }))).toBe('FLOE_NAME_TAKEN');
  });

  test('join all together, or none does where the state of one is refused', () => {
    const { runtime, last } = recorded();
    const [good, bad] = [store('good', { n: 1 }), store('bad', { late: () => 1 })];
    expect(codeOf(() => runtime.add(good, bad))).toBe('FLOE_NOT_PLAIN_DATA');
    expect(runtime.snapshot()).not.toHaveProperty('good');
    runtime.read(good);
    expect(last()).toMatchObject({ fact: 'joined', stores: ['good'] });
  });

  test('a renewed store keeps the state that fits', () => {
    const { counter, runtime, problems, last } = recorded();
    const before = runtime.read(counter);
    runtime.renew(store('counter', { n: 5, m: 5 }));
    expect([runtime.read(counter) === before, problems, last().fact]).toEqual([true, [], 'renewed']);
    runtime.add(counter);
    expect(runtime.trace.steps.at(-1)!.fact).toBe('renewed');
    runtime.renew(store('late', { x: 1 }));
    expect(last()).toMatchObject({ fact: 'joined', changes: [{ path: '/late' }] });
    for (const [name, was, is] of [
      ['list', [1, 2], [3]],
      ['number', 1, 2],
      ['object', { a: 1 }, [1]],
      ['array', [1], { a: 1 }],
      ['filled', { a: 1 }, 5],
    ] as const) {
      runtime.add(store<string, unknown>(name, was));
      runtime.renew(store<string, unknown>(name, is));
      expect(runtime.snapshot()[name]).toEqual(was);
    }
    expect(problems).toEqual([]);
    runtime.renew(store('object', { b: 1 }));
    expect(problems.map(({ error }) => (error as Error).message)).toEqual([expect.stringMatching(/'object'.*a/)]);
  });
});

test('on a server there is no default runtime; expose puts one on the global object', () => {
  expect(codeOf(() => defaultRuntime())).toBe('FLOE_NO_RUNTIME');
  const runtime = createRuntime({ expose: 'floeTestRuntime' });
  expect((globalThis as { floeTestRuntime?: unknown }).floeTestRuntime).toBe(runtime);
  delete (globalThis as { floeTestRuntime?: unknown }).floeTestRuntime;
});
