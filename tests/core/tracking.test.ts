// What a selector reads is tracked to the part: a change of that part runs it again, a change beside it does not.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, selector, store } from 'floe';
import { entity, rowOf, tableOf, tables } from 'floe/entities';
import { note, Reader } from '../../src/core/reactive/graph.js';
import { noteKind, TrackedPlace } from '../../src/core/reactive/tracking.js';
import { failure } from '../support/failures.js';

const declare = () => ({
  rec: { a: 1, b: 2 } as Record<string, unknown>,
  inner: { x: { y: 1 } } as Record<string, unknown> | unknown[] | null,
  list: [{ n: 0 }, { n: 1 }, { n: 2 }],
  wide: Object.fromEntries(Array.from({ length: 200 }, (_, i) => [`k${i}`, i])),
  fit: Array.from({ length: 128 }, (_, n) => ({ n })),
  long: Array.from({ length: 129 }, (_, n) => ({ n })),
  leaves: { when: new Date(5), tags: new Set(['x']), other: 1 },
});
type State = ReturnType<typeof declare>;
type Edit = (draft: State) => void;
const edits: Record<string, Edit> = {
  'a value': (draft) => (draft.rec.a = 7),
  'a new key': (draft) => (draft.rec.c = 7),
  'a key less': (draft) => delete draft.rec.b,
  'another key': (draft) => {
    delete draft.rec.b;
    draft.rec.c = 2;
  },
  'an equal object': (draft) => (draft.rec = { a: 1, b: 3 }),
  'a list in its place': (draft) => (draft.inner = [1]),
  'nothing in its place': (draft) => (draft.inner = null),
  'a part of a part': (draft) => ((draft.inner as { x: { y: number } }).x.y = 7),
  'the first item': (draft) => (draft.list[0].n = 7),
  'the second item': (draft) => (draft.list[1].n = 7),
  'one more item': (draft) => void draft.list.push({ n: 3 }),
  'one item less': (draft) => void draft.list.pop(),
  'the first item gone': (draft) => void draft.list.shift(),
  'as many others': (draft) => (draft.list = [{ n: 5 }, { n: 6 }, { n: 7 }]),
  'the last of the wide': (draft) => (draft.wide.k199 = 7),
  'the fifth of the fit': (draft) => (draft.fit[5].n = 7),
  'a later date': (draft) => (draft.leaves.when = new Date(6)),
  'the same date': (draft) => (draft.leaves.when = new Date(5)),
  'beside the date': (draft) => draft.leaves.other++,
  'the fifth of the long': (draft) => (draft.long[5].n = 7),
};

/** A part of a tracking proxy is described by how it is read. */
const described = (found: PropertyDescriptor | undefined): unknown =>
  (found?.get ? found.get() : found?.value) as unknown;

/** A selector that is watched, and how often it ran. */
function watched(select: (state: State) => unknown) {
  const at = store('at', declare);
  const edited = at.action('edited', (draft, name: string) => {
    edits[name](draft as State);
  });
  let ran = 0;
  const selected = at.selector('selected', (state) => {
    ran++;
    return select(state as State);
  });
  const runtime = createRuntime({ stores: [at] });
  runtime.watch(selected, () => undefined);
  return {
    /** Whether it ran again; what it gives is right either way. */
    after(name: string): boolean {
      const before = ran;
      runtime.dispatch(edited(name));
      const again = ran > before;
      expect(runtime.read(selected)).toEqual(select(runtime.read(at) as State));
      return again;
    },
  };
}

const reads: [string, (state: State) => unknown, Record<string, boolean>][] = [
  [
    'keys',
    ({ rec }) => Object.keys(rec),
    {
      'a value': false,
      'an equal object': false,
      'a new key': true,
      'a key less': true,
      'another key': true,
    },
  ],
  ['a key that is there', ({ rec }) => 'b' in rec, { 'a value': false, 'a new key': false, 'a key less': true }],
  ['a key that is not there', ({ rec }) => 'c' in rec, { 'a key less': false, 'a new key': true }],
  ['an own key that is not there', ({ rec }) => Object.hasOwn(rec, 'c'), { 'a value': false, 'a new key': true }],
  ['an own key that is there', ({ rec }) => Object.hasOwn(rec, 'b'), { 'a key less': true }],
  ['an item that is not there', ({ list }) => Object.hasOwn(list, 3), { 'one more item': true }],
  [
    'an inherited key',
    ({ rec }) => ['toString' in rec, Object.hasOwn(rec, 'valueOf')],
    { 'a value': false, 'a new key': false },
  ],
  [
    'a description',
    ({ rec }) => described(Object.getOwnPropertyDescriptor(rec, 'a')),
    { 'a value': true, 'a new key': false },
  ],
  ['a description of what is not there', ({ rec }) => Object.getOwnPropertyDescriptor(rec, 'z'), { 'a value': false }],
  [
    'leaf values',
    ({ leaves: { when, tags } }) => [when.getTime(), tags.has('x')],
    { 'a later date': true, 'the same date': false, 'beside the date': false },
  ],
  ['a copy', ({ rec }) => ({ ...rec }), { 'a value': true, 'a new key': true, 'a key less': true }],
  ['the object itself', ({ rec }) => rec, { 'a value': true, 'the first item': false }],
  [
    'the kind of a part',
    ({ inner }) => [Array.isArray(inner), inner === null],
    { 'a part of a part': false, 'a list in its place': true, 'nothing in its place': true },
  ],
  [
    'a part of a part',
    ({ inner }) => (inner as { x?: { y: number } } | null)?.x?.y,
    { 'a part of a part': true, 'nothing in its place': true, 'a value': false },
  ],
  [
    'a length',
    ({ list }) => list.length,
    { 'the first item': false, 'as many others': false, 'one more item': true, 'one item less': true },
  ],
  [
    'the description of a length',
    ({ list }) => Object.getOwnPropertyDescriptor(list, 'length')?.value,
    { 'the first item': false, 'one more item': true },
  ],
  ['the keys of a list', ({ list }) => Object.keys(list), { 'the first item': false, 'one more item': true }],
  ['whether an item is there', ({ list }) => 3 in list, { 'the first item': false, 'one more item': true }],
  [
    'an item',
    ({ list }) => list[1]?.n,
    { 'the first item': false, 'the second item': true, 'the first item gone': true, 'as many others': true },
  ],
  [
    'a stretch of a list',
    ({ list }) => list.slice(0, 1).map(({ n }) => n),
    { 'the first item': true, 'the second item': false },
  ],
  [
    'all items, one by one',
    ({ list }) => {
      const seen: number[] = [];
      list.forEach(({ n }) => seen.push(n));
      for (const { n } of list) seen.push(n);
      return seen;
    },
    { 'the first item': true, 'the second item': true, 'one more item': true, 'one item less': true, 'a value': false },
  ],
  ...(['filter', 'map', 'reduce', 'some', 'every'] as const).map((way): (typeof reads)[number] => [
    `all items by ${way}`,
    ({ list }) => (list[way] as (fn: unknown) => unknown)(({ n = 0 }, item: { n: number }) => n + item.n < -5),
    { 'the second item': way !== 'every', 'one more item': true, 'a value': false },
  ]),
  ...(['find', 'findIndex', 'some'] as const).map((way): (typeof reads)[number] => [
    `items until one fits, by ${way}`,
    ({ list }) => typeof list[way](({ n }) => n === 0),
    { 'the first item': true, 'the second item': false, 'the first item gone': true },
  ]),
  [
    'as many parts as are told apart',
    ({ wide }) => Array.from({ length: 128 }, (_, i) => wide[`k${i}`]),
    { 'the last of the wide': false },
  ],
  [
    'more parts than are told apart',
    ({ wide }) => Array.from({ length: 129 }, (_, i) => wide[`k${i}`]),
    { 'the last of the wide': true },
  ],
  [
    'the same part over and over',
    ({ wide }) => Array.from({ length: 300 }, () => wide.k0),
    { 'the last of the wide': false },
  ],
  ['a method of a list', ({ fit }) => fit.slice(0, 2).map(({ n }) => n), { 'the fifth of the fit': false }],
  ['a method of a long list', ({ long }) => long.slice(0, 2).map(({ n }) => n), { 'the fifth of the long': true }],
  ['an item of a long list, counted from its end', ({ long }) => long.at(-1)?.n, { 'the fifth of the long': false }],
  [
    'every item of a long list',
    ({ long }) => long.reduce((sum, { n }) => sum + n, 0),
    { 'the fifth of the long': true },
  ],
];
describe.each(reads)('a selector that reads %s', (_name, select, cases) => {
  test.each(Object.entries(cases))('after %s: %p', (name, expected) => {
    expect(watched(select).after(name)).toBe(expected);
  });
});

test.each<[string, (state: State) => unknown]>([
  ['set', ({ rec }) => (rec.a = 2)],
  ['deleted', ({ rec }) => delete rec.a],
  ['defined', ({ list }) => Object.defineProperty(list, 0, { value: 1 })],
  ['frozen', ({ rec }) => Object.preventExtensions(rec)],
  ['given another prototype', ({ rec }) => Object.setPrototypeOf(rec, null)],
])('nothing can be %s in a selector', (_name, write) => {
  const at = store('at', declare);
  const writes = at.selector('writes', (state) => write(state as State));
  expect(failure(() => createRuntime({ stores: [at] }).read(writes))).toMatchObject({
    code: 'FLOE_DRAFT_MISUSE',
    message: expect.stringContaining('A selector cannot edit what it reads. Copy it first') as unknown,
  });
});

const alone = ['north', 'size', 'keys', 'late'];
test.each([alone, ...alone.map((name) => [name])])(
  'rows of a table: a selector that reads one does not run for others (%s, %s)',
  (...names) => {
    const berth = entity('berth', rowOf<{ id: string; depth: number }>(), { key: 'id' });
    const port = tables('port', [berth]);
    const runs: Record<string, number> = {};
    const counted = (name: string, select: (rows: ReadonlyMap<string, { depth: number }>) => unknown) => {
      const one = port.selector(name, (state) => {
        runs[name] = (runs[name] ?? 0) + 1;
        return select(state.berth as never);
      });
      if (names.includes(name)) runtime.watch(one, () => undefined);
      return one;
    };
    const runtime = createRuntime({ stores: [port] });
    const put = (...rows: [string, number][]) =>
      runtime.dispatch(
        port.put(
          berth,
          rows.map(([id, depth]) => ({ id, depth })),
        ),
      );
    put(['n', 1], ['s', 1], ['w', 1], ['e', 1]);
    const north = counted('north', (rows) => rows.get('n')?.depth);
    const size = counted('size', (rows) => rows.size);
    const keys = counted('keys', (rows) => [...rows.keys()]);
    const late = counted('late', (rows) => rows.has('x'));
    const ran = (work: () => unknown, ...expected: string[]): void => {
      const before = { ...runs };
      work();
      expect(Object.keys(runs).filter((name) => runs[name] !== before[name])).toEqual(
        expected.filter((name) => names.includes(name)),
      );
    };
    ran(() => put(['s', 2]));
    ran(() => put(['s', 3], ['w', 3], ['e', 3]));
    ran(() => put(['n', 2]), 'north');
    ran(() => put(['n', 3], ['s', 4], ['w', 4]), 'north');
    ran(() => put(['x', 1]), 'size', 'keys', 'late');
    ran(() => runtime.dispatch(port.remove(berth, ['s', 'w', 'x'])), 'size', 'keys', 'late');
    ran(() => runtime.dispatch(port.remove(berth, ['n', 'e'])), 'north', 'size', 'keys');
    ran(() => put(['a', 1], ['b', 1], ['n', 1]), 'north', 'size', 'keys');
    expect([north, size, keys, late].map((one) => runtime.read(one))).toEqual([1, 3, ['a', 'b', 'n'], false]);
  },
);

test('two changes of a store for one action: a selector that reads what the first has changed runs again', () => {
  const at = store('at', { a: 0, b: 0, list: [0, 0] });
  const done = at.action('done', (draft) => {
    draft.a++;
    draft.list[0]++;
  });
  at.when(done, (draft) => {
    draft.b++;
    draft.list[1]++;
  });
  const first = at.selector('first', ({ a, list }) => [a, list[0]]);
  // So that more parts are read than were touched.
  const rest = at.selector('rest', (state) => [state.b, state.list[1], state.list.length]);
  const runtime = createRuntime({ stores: [at] });
  for (const one of [first, rest]) runtime.watch(one, () => undefined);
  runtime.dispatch(done());
  expect([runtime.read(first), runtime.read(rest)]).toEqual([
    [1, 1],
    [1, 1, 2],
  ]);
});

test('what is handed out is the state itself, whatever it stands in', () => {
  const at = store('at', { ...declare(), table: tableOf([['x', { n: 1 }]]) });
  const runtime = createRuntime({ stores: [at] });
  const { rec, list, long, inner, table } = runtime.read(at);
  const given = (select: (state: ReturnType<typeof declare> & { table: typeof table }) => unknown) =>
    runtime.read(selector('given', (read) => select(read(at) as never)));
  expect(given((state) => state.list)).toBe(list);
  expect(given((state) => state.long)).toBe(long);
  expect(given((state) => state.list.find(({ n }) => n === 1))).toBe(list[1]);
  for (const fits of [(n: number) => n % 2 === 0, () => true, () => false])
    expect(given((state) => state.long.filter(({ n }) => fits(n)))).toEqual(long.filter(({ n }) => fits(n)));
  const mixed = given((state) => [...state.long.filter(({ n }) => n > 120), { rec: state.rec }]) as { rec: unknown }[];
  expect([mixed[0], mixed.at(-1)!.rec === rec]).toEqual([long[121], true]);
  expect(given((state) => [state.long.at(5), state.rec])).toEqual([long[5], rec]);
  expect(given((state) => ({ first: state.list[0], last: state.long.at(-1) }))).toEqual({
    first: list[0],
    last: long[128],
  });
  expect(given((state) => ({ deep: [state.inner, state.table] }))).toEqual({ deep: [inner, table] });
  expect((given((state) => [[state.rec]]) as unknown[][])[0][0]).toBe(rec);
  expect((given((state) => tableOf([['own', state.rec]])) as ReadonlyMap<string, unknown>).get('own')).toBe(rec);
  const round = given((state) => {
    const circle: Record<string, unknown> = { rec: state.rec };
    return Object.assign(circle, { circle });
  }) as { circle: unknown; rec: unknown };
  expect([round.circle === round, round.rec === rec]).toEqual([true, true]);
  // Inside, a part is one and the same, and looks like what it stands for.
  expect(
    given((state) => [
      state.rec === state.rec,
      Object.getPrototypeOf(state.rec) === Object.prototype,
      'k150' in state.wide && Object.keys(state.wide).length,
      state.list[Symbol.unscopables as never] === Array.prototype[Symbol.unscopables as never],
      (state.list as unknown as Record<symbol, unknown>)[Symbol('other')],
    ]),
  ).toEqual([true, true, 200, true, undefined]);
});

test('a key of what is depended on as a whole, asked for', () => {
  const { after } = watched(({ wide }) => [
    Object.keys(wide).map((key) => wide[key]).length,
    'k5' in wide,
    'x' in wide,
  ]);
  expect([after('the last of the wide'), after('the first item')]).toEqual([true, false]);
});

test('a place that no selector reads any more is forgotten, and so are those above it', () => {
  const state = { a: { b: [1] } };
  const ways: Record<string, (place: TrackedPlace) => void> = {
    'its value': note,
    'its kind': noteKind,
    'its keys': (place) => place.noteKeys(),
    'its size': (place) => place.noteSize(),
    'what is in it': (place) => note(place.place('other')),
    'whether a key is there': (place) => place.notePresenceOf('key'),
  };
  for (const [way, read] of Object.entries(ways)) {
    const root = new TrackedPlace(undefined, '');
    let step = 0;
    class Reading extends Reader {
      readonly name = 'reading';
      protected derive(): void {
        if (step < 3) note(root);
        if (step < 2) read(root.place('a'));
        if (step < 1) note(root.place('a').place('b'));
      }
    }
    const reader = new Reading();
    reader.get();
    const a = root.place('a');
    const next = () => {
      step++;
      reader.stale(2);
      reader.get();
    };
    next();
    expect([way, root.place('a') === a]).toEqual([way, true]);
    next();
    expect([way, root.place('a') === a]).toEqual([way, false]);
    root.changed(state, { a: 1 }, undefined);
    next();
    expect(root.read).toBe(false);
  }
});

test('what is read in another order, and by a selector that is asked meanwhile, still counts as read', () => {
  const at = store('at', { turned: false, n: 1, m: 1 });
  const { merge } = at.edits();
  const some = at.selector('some', ({ n }) => n > 0);
  const all = selector('all', (read) => {
    const state = read(at);
    return state.turned ? [state.n, read(some), state.m] : [state.m, state.n, read(some)];
  });
  const runtime = createRuntime({ stores: [at] });
  const notified: unknown[] = [];
  runtime.watch(all, (now) => notified.push(now));
  for (const part of [{ turned: true, n: 2 }, { n: 3 }, { m: 2 }]) runtime.dispatch(merge(part));
  expect(notified).toEqual([
    [2, true, 1],
    [3, true, 1],
    [3, true, 2],
  ]);
});
