// What is misspelt, declared twice, too deep, or used where it has ended: an error that says what to write instead.
import { describe, expect, jest, test } from '@jest/globals';
import {
  action,
  actionLog,
  createRuntime,
  selector,
  store,
  task,
  type FloeError,
  type Problem,
  type RuntimeOptions,
} from 'floe';
import { entity, linkTo, rowOf, tables } from 'floe/entities';
import { location } from 'floe/location';
import { indexedDbStorage, memoryStorage, storageIn, webStorage, httpStorage } from 'floe/persist';
import { fileStorage } from 'floe/persist/node';
import { testRuntime } from 'floe/testing';
import { recording, replayTrace, undoStack, writeTest, type Trace } from 'floe/trace';
import { codeOf, failure } from '../support/failures.js';
import { storedText } from '../support/stored-text.js';

const declare = () => {
  const counter = store('counter', { n: 0, list: [] as { id: string; tags?: string[] }[], any: {} as never });
  const added = counter.action('added', (draft, by: number) => {
    draft.n += by;
  });
  return { counter, added };
};
/** What the types refuse, said anyway. */
const anyway = (value: unknown): never => value as never;
const inherited = Object.getOwnPropertyNames(Object.prototype);

test('an interceptor without a name, or without a function, is refused', () => {
  const { counter, added } = declare();
  const runtime = createRuntime({ stores: [counter] });
  expect(
    codeOf(() =>
      runtime.addInterceptor(
        anyway(() => undefined),
        anyway(undefined),
      ),
    ),
  ).toBe('FLOE_BAD_NAME');
  expect(codeOf(() => runtime.addInterceptor('asks', anyway(undefined)))).toBe('FLOE_BAD_OPTION');
  expect(runtime.dispatch(added(1))).toBe('applied');
});

describe('what is taken for something else is named, with what to write instead', () => {
  const bench = store('bench', { count: 0, names: ['Ern', 'Auk'], seen: new Map([['Ern', 1]]) });
  const counted = bench.action('counted', (draft) => {
    draft.count++;
  });
  const load = task('load', () => Promise.reject(new Error('no answer')));
  const seen = bench.action('seen', (draft) => void draft.seen.set('Auk', 2));
  const runtime = createRuntime({ stores: [bench] });
  const names = (): string[] => runtime.read(bench).names as string[];
  test.each([
    ['the call of a task, dispatched', () => runtime.dispatch(anyway(load())), "the call of the task 'load'. Run it"],
    ['an action, run', () => runtime.run(anyway(counted())), "the action 'bench.counted'. Dispatch it"],
    [
      '`read` as a state',
      () =>
        runtime.read(
          selector(
            'count',
            anyway((state: { bench: { count: number } }) => state.bench.count),
          ) as never,
        ),
      '(read) => read(store).bench',
    ],
    [
      'a list that a selector sorts',
      () => runtime.read(bench.selector('sorted', ({ names }) => (names as string[]).sort())),
      'Copy it first: [...list].sort',
    ],
    [
      'a state that a change edits beside its draft',
      () => runtime.dispatch(bench.action('pushed', () => void names().push('Tern'))()),
      'dispatch an action whose change edits its draft',
    ],
    ['a Map that a draft edits', () => runtime.dispatch(seen()), 'tableOf of floe/entities'],
  ])('%s', (_what, wrong, words) => {
    expect(wrong).toThrow(words);
  });

  test('a watcher that edits the state, and the name of a task that failed', async () => {
    const said = jest.spyOn(console, 'error').mockImplementation(() => undefined);
    runtime.watch(bench, () => void names().push('Tern'));
    runtime.dispatch(counted());
    void runtime.run(load());
    await new Promise((resolve) => setTimeout(resolve, 5));
    expect(said.mock.calls).toEqual([
      [expect.objectContaining({ code: 'FLOE_STATE_EDITED' })],
      ["The task 'load' failed:", expect.objectContaining({ message: 'no answer' })],
    ]);
    said.mockRestore();
  });
});

describe('an option that is not known', () => {
  const { counter } = declare();
  const operator = entity('operator', rowOf<{ id: string }>(), { key: 'id' });
  const vessel = entity('vessel', rowOf<{ hull: string; operator: { id: string } | null }>(), {
    key: 'hull',
    links: { operator },
  });
  const port = tables('port', [operator, vessel]);
  const runtime = createRuntime({ stores: [counter], trace: recording() });
  let number = 0;
  const fresh = () => `n${number++}`;
  const cases: [string, () => unknown, string | RegExp][] = [
    ['createRuntime', () => createRuntime(anyway({ interceptor: [] })), "Did you mean 'interceptors'?"],
    ['testRuntime', () => testRuntime(anyway({ stors: [] })), "Did you mean 'stores'?"],
    ['recording', () => recording(anyway({ limits: 3 })), "Did you mean 'limit'?"],
    ['undoStack', () => undoStack(runtime, anyway({ stores: [counter], limt: 3 })), "Did you mean 'limit'?"],
    ['store.action', () => counter.action(fresh(), () => undefined, anyway({ abuot: {} })), "Did you mean 'about'?"],
    ['store.selector', () => counter.selector(fresh(), () => 1, anyway({ equals: 'deep' })), "Did you mean 'equal'?"],
    ['selector', () => selector('s', () => 1, anyway({ kep: 1 })), "Did you mean 'keep'?"],
    ['task', () => task('t', () => 1, anyway({ overlaps: 'queue' })), "Did you mean 'overlap'?"],
    ['retry', () => task('t', () => 1, anyway({ retry: { time: 1 } })), "Did you mean 'times'?"],
    ['persisted', () => store(fresh(), { a: 1 }).persisted(anyway({ olny: ['a'] })), "Did you mean 'only'?"],
    ['watch', () => runtime.watch(counter, () => undefined, anyway({ now: true, error: 1 })), 'has no option'],
    ['snapshot', () => runtime.snapshot(anyway({ olny: [] })), "Did you mean 'only'?"],
    ['exclude', () => runtime.trace.exclude(0, anyway({ withCause: true })), "Did you mean 'withCaused'?"],
    ['replayTrace', () => replayTrace('', anyway({ store: [] })), "Did you mean 'stores'?"],
    ['writeTest', () => writeTest('', anyway({ models: '' })), "Did you mean 'model'?"],
    ['actionLog', () => actionLog(anyway({ ignored: [] })), "Did you mean 'ignore'?"],
    ['entity', () => entity('e', rowOf(), anyway({ key: 'id', link: {} })), "Did you mean 'links'?"],
    ['linkTo', () => linkTo(operator, anyway({ remove: 'unlink' })), "Did you mean 'removed'?"],
    ['all', () => port.all(vessel, anyway({ offset: 10 })), "'where', 'given', 'sort', 'limit', 'group'"],
    ['count', () => port.count(vessel, anyway({ wher: {} })), "Did you mean 'where'?"],
    ['expand', () => port.expand(vessel, 'v', anyway({ dept: 1 })), "Did you mean 'depth'?"],
    ['ingest', () => port.ingest(vessel, [], anyway({ skips: true })), "Did you mean 'skip'?"],
    ['location', () => location('l', anyway({ paths: {}, querys: {} })), "Did you mean 'query'?"],
    ['webStorage', () => webStorage('local', anyway({ prefix: 'a', tab: 1 })), "Did you mean 'tabs'?"],
    ['session', () => webStorage('session', anyway({ prefix: 'a', tabs: 1 })), 'has no option'],
    ['indexedDbStorage', () => indexedDbStorage(anyway({ nam: 'a' })), "Did you mean 'name'?"],
    ['httpStorage', () => httpStorage(anyway({ url: '', header: {} })), "Did you mean 'headers'?"],
    ['memoryStorage', () => memoryStorage(undefined, anyway({ writeAftr: 0 })), "Did you mean 'writeAfter'?"],
    ['fileStorage', () => fileStorage(anyway({ folders: '' })), "Did you mean 'folder'?"],
    ['storageIn', () => storageIn(() => ({}) as never, anyway({ tab: 1 })), "Did you mean 'tabs'?"],
  ];
  test.each(cases)('of %s is an error', (_name, call, text) => {
    const error = failure(call);
    expect([error.code, error.message]).toEqual(['FLOE_UNKNOWN_OPTION', expect.stringContaining(String(text))]);
  });

  const values: [string, () => unknown, string, string][] = [
    ['a list that is none', () => createRuntime(anyway({ stores: counter })), 'FLOE_BAD_OPTION', 'stores: [...]'],
    [
      'recording without the call',
      () => createRuntime(anyway({ trace: recording })),
      'FLOE_BAD_OPTION',
      'recording(...)',
    ],
    ['a storage that is none', () => createRuntime(anyway({ storage: {} })), 'FLOE_BAD_OPTION', 'takes a storage'],
    ['a feature that is none', () => createRuntime(anyway({ features: [{}] })), 'FLOE_BAD_OPTION', 'install(kernel)'],
    [
      'tabs that are not shared',
      () => webStorage('local', anyway({ prefix: 'a', tabs: true })),
      'FLOE_BAD_OPTION',
      'sharedTabs()',
    ],
    ['a store that is none', () => createRuntime(anyway({ stores: [undefined] })), 'FLOE_NOT_A_STORE', 'in a circle'],
    ['a store that is none, added', () => runtime.add(anyway('counter')), 'FLOE_NOT_A_STORE', 'found: string'],
    [
      'a way to judge rules',
      () => createRuntime(anyway({ invariants: 'refused' })),
      'FLOE_BAD_OPTION',
      "did you mean 'refuse'?",
    ],
    [
      'an overlap',
      () => task('t', () => 1, anyway({ overlap: 'replce' })),
      'FLOE_BAD_OPTION',
      "did you mean 'replace'?",
    ],
    ['an equality', () => selector('s', () => 1, anyway({ equal: 'depp' })), 'FLOE_BAD_OPTION', "did you mean 'deep'?"],
    [
      'a rule of a link',
      () => linkTo(operator, anyway({ removed: 'cascde' })),
      'FLOE_BAD_OPTION',
      "did you mean 'cascade'?",
    ],
    ['how many to keep', () => task('t', () => 1, { keep: NaN }), 'FLOE_BAD_OPTION', 'from 0 on'],
    ['stores of an undo stack', () => undoStack(runtime, anyway({})), 'FLOE_BAD_OPTION', 'stores: [log]'],
    [
      'no upgrade in a list',
      () => store('v', {}).persisted({ version: 3, upgrade: [] }),
      'FLOE_BAD_OPTION',
      'has 0 steps',
    ],
    ['a version', () => store('v', {}).persisted({ version: 0 }), 'FLOE_BAD_OPTION', 'from 1 on'],
    ['options that are none', () => recording(anyway(7)), 'FLOE_BAD_OPTION', 'found: number'],
    ['a clock of a test', () => testRuntime(anyway({ clock: Date.now })), 'FLOE_BAD_OPTION', 'handClock()'],
    ['a trace of a test', () => testRuntime(anyway({ trace: recording() })), 'FLOE_BAD_OPTION', 'runtime.trace'],
    [
      'a path of links',
      () => port.expand(vessel, 'v', { along: anyway(['operater']) }),
      'FLOE_UNKNOWN_LINK',
      "Did you mean 'operator'?",
    ],
  ];
  test.each(values)('%s: a value that cannot be meant is an error', (_name, call, code, text) => {
    const error = failure(call);
    expect([error.code, error.message]).toEqual([code, expect.stringContaining(text)]);
  });

  test('a field that is kept is looked for when the store joins, and named', () => {
    const notes = store('notes', () => ({ about: '', text: '' })).persisted(anyway({ only: ['/abuot'] }));
    expect(() => createRuntime({ stores: [notes] })).toThrow(/names the field 'abuot'.*Did you mean 'about'/);
    const anything = store('anything', {} as Record<string, number>).persisted({ except: ['later'] });
    expect(createRuntime({ stores: [anything] }).read(anything)).toEqual({});
  });
});

describe('a name that is declared twice in one store', () => {
  test('is an error for actions, selectors and tasks; edits are the same each time', () => {
    const { counter } = declare();
    counter.selector('added', () => 1);
    task(counter, 'added', () => 1);
    expect(codeOf(() => counter.action('added', () => undefined))).toBe('FLOE_NAME_TAKEN');
    expect(codeOf(() => counter.selector('added', () => 1))).toBe('FLOE_NAME_TAKEN');
    expect(() => task(counter, 'added', () => 1)).toThrow("The task 'counter.added' is declared twice");
    expect(counter.edits()).toBe(counter.edits());
    expect(codeOf(() => counter.action('merge', () => undefined))).toBe('FLOE_NAME_TAKEN');
    expect(codeOf(() => store('toString', {}))).toBe('FLOE_BAD_NAME');
  });
});

describe('keys that every object inherits', () => {
  test.each(inherited)('%s is ordinary data at the top of a store: in steps, undo, files and selectors', (key) => {
    const plain = store('plain', {} as Record<string, unknown>);
    const set = plain.action('set', (draft, value: unknown) => {
      draft[key] = value;
    });
    const gone = plain.action('gone', (draft) => {
      delete draft[key];
    });
    const has = plain.selector('has', (state) => Object.hasOwn(state, key) && state[key]);
    const runtime = testRuntime({ stores: [plain] });
    const undo = undoStack(runtime, { stores: [plain] });
    for (const value of [0, undefined, null, '', { deep: 1 }, 0]) {
      runtime.dispatch(set(value));
      expect([runtime.trace.steps.at(-1)?.changes[0]?.op, runtime.trace.steps.at(-1)?.undo[0]?.op]).toEqual(
        value === 0 && runtime.trace.steps.filter(({ action }) => action).length === 1
          ? ['add', 'remove']
          : ['replace', 'replace'],
      );
      expect(runtime.read(has)).toEqual(value);
    }
    runtime.dispatch(gone());
    expect([runtime.trace.steps.at(-1)?.changes[0]?.op, runtime.read(has)]).toEqual(['remove', false]);
    for (let i = 0; i < 7; i++) runtime.trace.back();
    expect(Object.keys(runtime.read(plain))).toEqual([]);
    runtime.trace.live();
    const text = runtime.trace.export();
    runtime.dispatch(set(1));
    expect(undo.undo().became).toBe('done');
    expect(Object.keys(runtime.read(plain))).toEqual([]);
    const other = testRuntime({ stores: [plain] });
    other.trace.import(text);
    other.trace.back();
    expect(other.read(has)).toBe(0);
    expect(replayTrace(text, { stores: [plain] }).divergence).toBeUndefined();
    expect(runtime.problems).toEqual([]);
  });
});

describe('data that nests too deep', () => {
  const nested = (levels: number): object => {
    let value: object = {};
    for (let i = 0; i < levels; i++) value = i % 2 === 0 ? { inner: value } : [value];
    return value;
  };
  test('is an error with a code, wherever it comes in, and bit by bit', () => {
    const deep = store('deep', { value: {} as object });
    const put = deep.action('put', (draft, value: object) => {
      draft.value = value;
    });
    const wrapped = deep.action('wrapped', (draft) => {
      draft.value = { inner: draft.value };
    });
    const dug = deep.action('dug', (draft, levels: number) => {
      let at = draft as { value: { inner?: object } };
      for (let i = 0; i < levels; i++) {
        at.value = {};
        at = at.value as never;
      }
    });
    const runtime = createRuntime({ stores: [deep] });
    for (const levels of [1100, 2000, 5000]) {
      expect(codeOf(() => runtime.dispatch(put(nested(levels))))).toBe('FLOE_TOO_DEEP');
      expect(codeOf(() => runtime.dispatch(dug(levels)))).toBe('FLOE_TOO_DEEP');
    }
    expect(runtime.dispatch(put(nested(900)))).toBe('applied');
    let levels = 900;
    expect(
      codeOf(() => {
        for (; levels < 3000; levels++) runtime.dispatch(wrapped());
      }),
    ).toBe('FLOE_TOO_DEEP');
    expect(levels).toBeLessThan(1001);
    expect(structuredClone(runtime.read(deep))).toEqual(runtime.read(deep));
  });
});

describe('Maps and Sets', () => {
  test('that a selector gives hold the state itself, and are made again when an item changes', () => {
    const list = store('list', { all: [{ id: 'a', n: 1 }], index: new Map([['x', { n: 1 }]]) });
    const set = list.action('set', (draft, n: number) => {
      draft.all[0].n = n;
    });
    const byId = list.selector('byId', ({ all }) => new Map(all.map((one) => [one.id, one])));
    const shapes = list.selector('shapes', ({ all }) => ({
      keys: new Map(all.map((one) => [one, one.id])),
      set: new Set(all),
      deep: [new Map([['all', all]])],
    }));
    const own = list.selector('own', ({ index }) => index);
    const runtime = createRuntime({ stores: [list] });
    const notified: unknown[] = [];
    runtime.watch(byId, (now) => notified.push(now.get('a')?.n));
    runtime.dispatch(set(2));
    const [item] = runtime.read(list).all;
    expect([notified, runtime.read(byId).get('a') === item, runtime.read(own) === runtime.read(list).index]).toEqual([
      [2],
      true,
      true,
    ]);
    const { keys, set: items, deep } = runtime.read(shapes);
    expect([keys.get(item), items.has(item), deep[0].get('all') === runtime.read(list).all]).toEqual(['a', true, true]);
    expect(() => runtime.read(byId).set('b', item)).toThrow(TypeError);
  });

  test('that a change puts into the state may hold drafts, as lists may', () => {
    const box = store('box', {
      list: [{ n: 1 }] as { n: number }[],
      map: new Map<unknown, unknown>(),
      set: new Set<unknown>(),
    });
    const put = box.action('put', (draft) => {
      const [first] = draft.list;
      draft.map = new Map<unknown, unknown>([
        ['first', first],
        [first, [first]],
      ]);
      draft.set = new Set([first, new Map([['deep', first]])]);
      first.n = 2;
    });
    const runtime = createRuntime({ stores: [box] });
    runtime.dispatch(put());
    const { map, set, list } = runtime.read(box);
    expect(list).toEqual([{ n: 2 }]);
    expect([...map]).toEqual([
      ['first', { n: 2 }],
      [{ n: 2 }, [{ n: 2 }]],
    ]);
    expect([...set]).toEqual([{ n: 2 }, new Map([['deep', { n: 2 }]])]);
    const circle = box.action('circle', (draft) => {
      const map = new Map<unknown, unknown>();
      map.set('again', { map });
      draft.map = map;
    });
    expect(failure(() => runtime.dispatch(circle())).path).toBe('/map/again/map');
  });

  test('as arguments are compared by value, whatever the order of keys inside', () => {
    let runs = 0;
    const asked = selector('asked', (_read, _map: ReadonlyMap<string, object>, _set: ReadonlySet<object>) => ++runs);
    const runtime = createRuntime();
    const call = (a: object) => runtime.read(asked(new Map([['k', a]]), new Set([a])));
    call({ x: 1, y: 2 });
    call({ y: 2, x: 1 });
    expect(runs).toBe(1);
    call({ x: 1, y: 3 });
    expect(runs).toBe(2);
    // A list is not a set, nor a map.
    expect(runtime.read((asked as never as (...args: unknown[]) => typeof asked)([['k', 1]], [1]) as never)).toBe(3);
  });
});

describe('a part of the state that leaves its selector', () => {
  test('in a closure, an instance or a wait is an error when it is used', async () => {
    const { counter } = declare();
    class Holder {
      constructor(readonly part: { n: number }) {}
    }
    const closure = counter.selector('closure', (state) => ({ get: () => state.n }) as never as { get(): number });
    const instance = counter.selector('instance', (state) => new Holder(state));
    const waits = counter.selector('waits', async (state) => {
      await Promise.resolve();
      return state.n;
    });
    const runtime = createRuntime({ stores: [counter] });
    expect(codeOf(() => runtime.read(closure).get())).toBe('FLOE_SELECTOR_ENDED');
    expect(codeOf(() => runtime.read(instance).part.n)).toBe('FLOE_SELECTOR_ENDED');
    expect(codeOf(() => Object.keys(runtime.read(instance).part))).toBe('FLOE_SELECTOR_ENDED');
    expect(codeOf(() => 'n' in runtime.read(instance).part)).toBe('FLOE_SELECTOR_ENDED');
    await expect(runtime.read(waits)).rejects.toMatchObject({ code: 'FLOE_SELECTOR_ENDED' });
  });

  test('structuredClone says what to do instead, in a selector and in a change', () => {
    const { counter } = declare();
    const cloned = counter.selector('cloned', (state) => structuredClone(state.list));
    const copied = counter.action('copied', (draft) => {
      draft.list = structuredClone(draft.list);
    });
    const runtime = createRuntime({ stores: [counter] });
    expect(codeOf(() => runtime.read(cloned))).toBe('FLOE_NOT_CLONEABLE');
    expect(codeOf(() => runtime.dispatch(copied()))).toBe('FLOE_NOT_CLONEABLE');
  });
});

describe('lists', () => {
  test('find an item by the object that was put in, or by its draft; a selector by its part, short or long', () => {
    const found: unknown[] = [];
    for (const length of [1, 300]) {
      const list = store('list', { all: Array.from({ length }, (_, i) => ({ id: `i${i}` })) });
      const pushed = list.action('pushed', (draft, item: { id: string }) => {
        draft.all.push(item);
        const [first] = draft.all;
        first.id = 'edited';
        found.push(
          draft.all.includes(item),
          draft.all.indexOf(item) === length,
          draft.all.includes(draft.all[length]),
          draft.all.lastIndexOf(first),
          draft.all.includes({ id: 'edited' }),
        );
        draft.all.reverse();
        found.push(draft.all.indexOf(item), draft.all.indexOf(first) === length);
      });
      const looks = list.selector('looks', ({ all }) => [all.includes(all[0]), all.indexOf(all[0])]);
      const runtime = createRuntime({ stores: [list] });
      runtime.dispatch(pushed({ id: 'new' }));
      expect(runtime.read(looks)).toEqual([true, 0]);
    }
    const each = [true, true, true, 0, false, 0, true];
    expect(found).toEqual([...each, ...each]);
  });
});

describe('messages that describe arguments', () => {
  test('take any: a BigInt in a selector that is in a circle, or that dispatches', () => {
    const { counter, added } = declare();
    const circle: (n: bigint) => never = selector('circle', (read, n: bigint) => read(circle(n)) as number) as never;
    const acts = counter.selector('acts', (_state, _n: bigint) => runtime.dispatch(added(1)));
    const runtime = createRuntime({ stores: [counter] });
    expect(codeOf(() => runtime.read(circle(1n)))).toBe('FLOE_SELECTOR_CYCLE');
    expect(codeOf(() => runtime.read(acts(1n)))).toBe('FLOE_WRONG_PLACE');
  });
});

test('an action that nothing handles is said once for each type, unless a run waits for it', async () => {
  const problems: Problem[] = [];
  const runtime = createRuntime({ onProblem: (problem) => problems.push(problem) });
  const [rung, notified] = [action('rung'), action('heard')];
  for (let i = 0; i < 3; i++) expect(runtime.dispatch(rung())).toBe('unchanged');
  const run = runtime.run(task('hear', ({ next }) => next(notified))());
  runtime.dispatch(notified());
  await run;
  expect(problems.map(({ error }) => (error as FloeError).code)).toEqual(['FLOE_NOT_HANDLED']);
});

test('a table that was cloned is no table any more, and the snapshot says where', () => {
  const port = tables('port', [entity('vessel', rowOf<{ id: string }>(), { key: 'id' })]);
  const snapshot = createRuntime({ stores: [port] }).snapshot();
  const initial = structuredClone(snapshot);
  const error = failure(() => createRuntime({ stores: [port], initial }));
  expect([error.code, error.message]).toEqual(['FLOE_BAD_SNAPSHOT', expect.stringContaining('/port/vessel')]);
  expect(createRuntime({ stores: [port], initial: snapshot }).snapshot()).toEqual(snapshot);
});

describe('a closed runtime', () => {
  test('takes no store, interceptor or move; what was recorded can still be looked at and saved', () => {
    const { counter, added } = declare();
    const runtime = testRuntime({ stores: [counter] });
    const undo = undoStack(runtime, { stores: [counter] });
    runtime.dispatch(added(1));
    void runtime.close();
    const { trace } = runtime;
    const calls: (() => unknown)[] = [
      () => runtime.add(store('late', {})),
      () => runtime.add(),
      () => runtime.addInterceptor('late', () => undefined),
      () => trace.back(),
      () => trace.seek(0),
      () => trace.live(),
      () => trace.forward(),
      () => trace.import(trace.export()),
      () => trace.exclude(1),
      () => trace.send(added(1)),
      () => trace.mark('late'),
      () => trace.pause(),
      () => undo.undo(),
      () => runtime.select(counter).watch(() => undefined),
    ];
    for (const call of calls) expect([String(call), codeOf(call)]).toEqual([String(call), 'FLOE_CLOSED']);
    expect(trace.steps.at(-1)?.action).toEqual(added(1));
    expect(trace.stateAt(trace.cursor).counter).toMatchObject({ n: 1 });
  });
});

describe('methods that are taken off their object', () => {
  test('work: of traces, undo stacks and persistence', async () => {
    const { counter, added } = declare();
    counter.persisted();
    const runtime = createRuntime({ stores: [counter], trace: recording(), storage: memoryStorage() });
    const { watch, back, live, export: exported, stateAt } = runtime.trace;
    const { undo, redo, watch: watchUndo } = undoStack(runtime, { stores: [counter] });
    const { flush, watch: watchStored, list } = runtime.persistence;
    const notified = jest.fn();
    for (const one of [watch, watchUndo, watchStored]) one(notified);
    runtime.dispatch(added(2));
    expect(await flush()).toBe(true);
    expect(notified.mock.calls.length).toBeGreaterThan(2);
    expect([undo().became, runtime.read(counter).n, redo().became]).toEqual(['done', 0, 'done']);
    back();
    live();
    expect([exported().length > 0, await list()]).toMatchObject([true, [{ store: 'counter' }]]);
    expect(Object.keys(stateAt(0))).toContain('counter');
  });

  test('what a trace gives cannot be edited', () => {
    const { counter, added } = declare();
    const runtime = createRuntime({ stores: [counter], trace: recording() });
    for (let i = 0; i < 3; i++) runtime.dispatch(added(1));
    expect(() => (runtime.trace.steps as unknown[]).pop()).toThrow(TypeError);
    const past = runtime.trace.stateAt(1) as { counter: { n: number } };
    expect(() => (past.counter.n = 9)).toThrow(TypeError);
    expect(runtime.trace.steps).toHaveLength(4);
  });
});

test('nothing is decided inside a change or a selector: proceed, stop, confirm, revert, cancel', async () => {
  const { counter, added } = declare();
  let decide: { proceed: () => unknown; stop: () => void } | undefined;
  let open: { confirm: () => void; revert: () => void } | undefined;
  const held = counter.action('held', (draft) => void (draft.n += 10));
  const maybe = task(counter, 'maybe', ({ optimistic, sleep }) => {
    open = optimistic(added(100));
    return sleep(1000);
  });
  const calls: (() => unknown)[] = [
    () => decide!.proceed(),
    () => decide!.stop(),
    () => open!.confirm(),
    () => open!.revert(),
    () => run.cancel(),
  ];
  const inside = counter.action('inside', (_draft, index: number) => void calls[index]());
  const derived = counter.selector('derived', (_state, index: number) => calls[index]());
  const runtime = testRuntime({
    stores: [counter],
    interceptors: [
      (action, { proceed, stop }) => {
        if (action.type === held.type) decide = { proceed, stop };
        else proceed();
      },
    ],
  });
  runtime.dispatch(held());
  const run = runtime.run(maybe());
  for (const index of calls.keys()) {
    expect(() => runtime.dispatch(inside(index))).toThrow(/was called inside the change/);
    expect(codeOf(() => runtime.read(derived(index)))).toBe('FLOE_WRONG_PLACE');
  }
  // Each can still be decided.
  expect([runtime.read(counter).n, run.phase, decide!.proceed()]).toEqual([100, 'running', 'applied']);
  open!.revert();
  expect(runtime.read(counter).n).toBe(10);
  run.cancel();
  await expect(run).rejects.toMatchObject({ code: 'FLOE_RUN_CANCELLED' });
});

test('the cursor does not move inside a transaction, a batch, a change or a selector', () => {
  const { counter, added } = declare();
  const seeks = counter.selector('seeks', () => runtime.trace.back());
  const moves = counter.action('moves', () => runtime.trace.back());
  const options: RuntimeOptions = { stores: [counter], trace: recording() };
  const runtime = createRuntime(options) as ReturnType<typeof createRuntime> & { trace: Trace };
  runtime.dispatch(added(1));
  for (const call of [
    () => runtime.atomic(() => runtime.trace.back()),
    () => runtime.batch(() => runtime.trace.back()),
    () => runtime.batch(() => runtime.trace.import(runtime.trace.export())),
    () => runtime.atomic(() => runtime.trace.exclude(1)),
    () => runtime.read(seeks),
  ])
    expect(codeOf(call)).toBe('FLOE_WRONG_PLACE');
  expect(() => runtime.dispatch(moves())).toThrow(/called inside the change/);
  expect([runtime.trace.isLive, runtime.read(counter).n]).toEqual([true, 1]);
});

test('a dispatch inside an invariant, `equal` or `unless` is refused, and the state says what the step says', () => {
  const { counter, added } = declare();
  const codes: unknown[] = [];
  const act = (): void => void codes.push(codeOf(() => runtime.dispatch(added(10))));
  const same = selector('same', (read) => read(counter).n, {
    equal: (a, b) => {
      act();
      return a === b;
    },
  });
  const work = task('work', () => undefined, {
    unless: () => {
      act();
      return true;
    },
  });
  const runtime = createRuntime({ stores: [counter], trace: recording() });
  runtime.watch(same, () => undefined);
  void runtime.run(work());
  runtime.dispatch(added(1));
  counter.invariant('acts', () => {
    act();
    return true;
  });
  runtime.dispatch(added(1));
  expect(new Set(codes)).toEqual(new Set(['FLOE_WRONG_PLACE']));
  expect(codes.length).toBeGreaterThanOrEqual(3);
  expect([runtime.read(counter).n, runtime.trace.steps.at(-1)!.changes]).toEqual([
    2,
    [{ op: 'replace', path: '/counter/n', value: 2 }],
  ]);
});

describe('what is hardly meant is said once, with what to write instead', () => {
  const log = store('log', { note: '', count: 0, seen: [] as string[] }).persisted();
  const plain = store('plain', { open: false });
  const counted = log.action('counted', anyway((state: { count: number }) => state.count + 1) as never);
  const seen = log.action('seen', anyway((state: { seen: string[] }) => state.seen) as never);
  const stored = (text: string) => memoryStorage(new Map([['log', storedText('log', JSON.parse(text))]]));
  test.each<[string, RuntimeOptions, (runtime: ReturnType<typeof createRuntime>) => unknown, string, string]>([
    [
      'a storage that keeps nothing',
      { stores: [plain], storage: memoryStorage() },
      () => 0,
      'FLOE_NOTHING_KEPT',
      '.persisted()',
    ],
    [
      'a misspelt store',
      { stores: [plain], initial: { plian: {} } },
      () => 0,
      'FLOE_INITIAL_DIFFERS',
      "Did you mean 'plain'",
    ],
    [
      'half of the fields',
      { stores: [log], initial: { log: { note: '' } } },
      () => 0,
      'FLOE_INITIAL_DIFFERS',
      "'count', 'seen'",
    ],
    [
      'a number for a state',
      { stores: [log] },
      (runtime) => runtime.dispatch(counted()),
      'FLOE_STATE_REPLACED',
      'returned a number',
    ],
    [
      'a part for a state',
      { stores: [log] },
      (runtime) => runtime.dispatch(seen()),
      'FLOE_STATE_REPLACED',
      'a part of the state',
    ],
    [
      'stored data of another kind',
      { stores: [log], storage: stored('{"note":"","count":"3","seen":[]}') },
      () => 0,
      'FLOE_STORED_DIFFERS',
      "a text at '/count', where the store begins with a number",
    ],
    // Nothing, or empty, says nothing of what comes.
    [
      'stored data of no other kind',
      { stores: [log], storage: stored('{"note":7,"count":3,"seen":{}}') },
      () => 0,
      '',
      '',
    ],
  ])('%s', (_what, options, work, code, words) => {
    const problems: Problem[] = [];
    const runtime = createRuntime({ ...options, onProblem: (problem) => problems.push(problem) });
    work(runtime);
    const said = problems.map(({ error }) => error as FloeError);
    expect(said.map((error) => error.code)).toEqual(code === '' ? [] : [code]);
    for (const error of said) expect(error.message).toContain(words);
  });

  test('in a page: persisted() without a storage', () => {
    const described = Object.getOwnPropertyDescriptor(globalThis, 'document');
    Object.defineProperty(globalThis, 'document', { value: {}, configurable: true });
    try {
      const problems: Problem[] = [];
      createRuntime({ stores: [log], onProblem: (problem) => problems.push(problem) });
      expect(problems).toMatchObject([{ error: { code: 'FLOE_NOT_KEPT' } }]);
    } finally {
      if (described) Object.defineProperty(globalThis, 'document', described);
      else Reflect.deleteProperty(globalThis, 'document');
    }
  });
});
