// How a difference is operations: with the fewest operations, an item that was edited as itself, and as one replacement where
// nothing was kept.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { applyPatch, createRuntime, store, type Patch } from 'floe';
import { entity, rowOf, tableOf, tables } from 'floe/entities';
import { recording } from 'floe/trace';
import { difference } from '../../src/core/data/diff.js';
import { runs } from '../support/runs.js';

/** How many items two lists have in common, in their order. */
function commonItems(a: readonly unknown[], b: readonly unknown[]): number {
  const rows = Array.from({ length: a.length + 1 }, () => new Array<number>(b.length + 1).fill(0));
  for (let i = 1; i <= a.length; i++)
    for (let j = 1; j <= b.length; j++)
      rows[i][j] = a[i - 1] === b[j - 1] ? rows[i - 1][j - 1] + 1 : Math.max(rows[i - 1][j], rows[i][j - 1]);
  return rows[a.length][b.length];
}
const operations = (before: unknown, after: unknown): string[] =>
  difference(before, after).changes.map(({ op, path }) => `${op} ${path}`);

test('the difference of two lists of plain values has as few operations as possible', () => {
  const list = fc.array(fc.constantFrom<unknown>('a', 'b', 1, null, undefined, {}), { maxLength: 14 });
  fc.assert(
    fc.property(list, list, (before, after) => {
      const { changes, undo } = difference({ list: before, kept: 1 }, { list: after, kept: 1 });
      expect(applyPatch({ list: before, kept: 1 }, changes)).toEqual({ list: after, kept: 1 });
      expect(applyPatch({ list: after, kept: 1 }, undo)).toEqual({ list: before, kept: 1 });
      const common = commonItems(before, after);
      const cost = changes.reduce((sum, { op, path }) => sum + (op === 'replace' ? (path === '/list' ? 0 : 2) : 1), 0);
      if (common > 0) expect(cost).toBe(before.length + after.length - 2 * common);
      // Nothing in common: one operation.
      else expect(changes.length).toBeLessThanOrEqual(1);
    }),
    { numRuns: Math.max(500, runs(500)) },
  );
});

describe('an item without a known history', () => {
  const rest = { id: 'rest' };
  test.each<[string, unknown, unknown, string[]]>([
    ['at least half of it agrees', { a: 1, b: 2 }, { a: 1, b: 3 }, ['replace /0/b']],
    ['less than half agrees', { a: 1, b: 2, c: 3 }, { a: 1, b: 3, c: 4 }, ['replace /0']],
    ['half of the longer one', { a: 1, b: 2 }, { a: 1, b: 2, c: 3, d: 4 }, ['add /0/c', 'add /0/d']],
    ['less than half of the longer one', { a: 1 }, { a: 1, b: 2, c: 3 }, ['replace /0']],
    ['nothing agrees', { a: 1 }, { b: 1 }, ['replace /0']],
    ['it has no parts at all', {}, { a: 1 }, ['replace /0']],
    ['a list is never another version of a list', [1, 2, 3], [1, 2, 4], ['replace /0']],
    ['a list in the place of an object', { a: 1 }, [1], ['replace /0']],
    ['a value in the place of an object', { a: 1 }, 7, ['replace /0']],
    ['an object in the place of a value', 7, { a: 1 }, ['replace /0']],
  ])('%s', (_name, before, after, expected) => {
    expect(operations([before, rest], [after, rest])).toEqual(expected);
  });
  test('an item is operations as edited beside others that came in or went', () => {
    const [a, b, c] = ['a', 'b', 'c'].map((id) => ({ id, phase: 1, berth: 2 }));
    expect(operations([a, b, c, rest], [{ ...a, phase: 9 }, { ...b, phase: 9 }, rest])).toEqual([
      'replace /0/phase',
      'replace /1/phase',
      'remove /2',
    ]);
    expect(operations([a, rest], [{ ...a, phase: 9 }, b, c, rest])).toEqual(['replace /0/phase', 'add /1', 'add /2']);
    // The same data in other objects is the same.
    expect(operations([a, b, c], [{ ...b }, { ...c }])).toEqual(['remove /0']);
  });
  test('an item that an edit remembers is operations by its edits', () => {
    const list = store('list', { items: [{ a: 1, b: 2, c: 3 }] });
    const edited = list.action('edited', (draft) => {
      Object.assign(draft.items[0], { a: 9, b: 9 });
      draft.items.unshift({ a: 5, b: 6, c: 7 });
    });
    const runtime = createRuntime({ stores: [list], trace: recording() });
    runtime.dispatch(edited());
    expect(runtime.trace.steps.at(-1)!.changes.map(({ op, path }) => `${op} ${path}`)).toEqual([
      'add /list/items/0',
      'replace /list/items/1/a',
      'replace /list/items/1/b',
    ]);
  });
});

describe('more changes in a list than are looked through', () => {
  const many = Array.from({ length: 400 }, (_, i) => ({ id: i, a: i, b: 0 }));
  test('each item of a long list is operations as a new version of the one in its place', () => {
    const after = many.map((one) => ({ ...one, b: 1 }));
    expect(operations(many, after)).toEqual(many.map((_one, i) => `replace /${i}/b`));
    const mixed = many.flatMap((one) => [one, one.id]);
    expect(
      operations(
        mixed,
        mixed.map((one) => (typeof one === 'object' ? { ...one, b: 1 } : one)),
      ),
    ).toHaveLength(400);
    const { changes } = difference(many, [...after, { id: 400, a: 400, b: 1 }]);
    expect(applyPatch(many, changes)).toEqual([...after, { id: 400, a: 400, b: 1 }]);
  });
  test('additions to a list are operations one by one', () => {
    expect(operations(many.slice(0, 5), many.slice(0, 205))).toHaveLength(200);
  });
  test('a list in another order is replaced as a whole', () => {
    expect(operations({ list: many, kept: 1 }, { list: many.toReversed(), kept: 1 })).toEqual(['replace /list']);
    expect(
      operations({ list: many, kept: 1 }, { list: [...many.slice(0, 9).reverse(), ...many.slice(300)], kept: 1 }),
    ).toEqual(['replace /list']);
  });
  test('a stretch of other items is operations as removals and additions', () => {
    const long = Array.from({ length: 2000 }, (_, i) => i);
    const others = Array.from({ length: 301 }, (_, i) => -1 - i);
    const patch = operations(long, [...long.slice(0, 500), ...others, ...long.slice(800)]);
    expect(patch).toEqual([...others.slice(0, 300).map((_one, i) => `replace /${500 + i}`), 'add /800']);
  });
});

test('a patch puts a row back in its place', () => {
  const all = tableOf(['n', 'e', 's', 'w'].map((id) => [id, { id }]));
  const some = tableOf([['s', { id: 's' }]]);
  const { changes, undo } = difference({ all }, { all: some });
  expect(applyPatch({ all }, changes)).toEqual({ all: some });
  for (const patch of [undo, difference({ all: some }, { all }).changes]) {
    const { all: again } = applyPatch({ all: some }, patch) as { all: typeof all };
    expect([...again.keys()]).toEqual(['n', 'e', 's', 'w']);
  }
  // As text, an operation has no member that says nothing.
  for (const patch of [undo, difference({ all: some }, { all }).changes])
    expect(patch[0]).toStrictEqual({ op: 'add', path: '/all/w', value: { id: 'w' } });
});

test('an object that keeps nothing is replaced by one operation', () => {
  expect(operations({ x: { a: 1, b: 2 } }, { x: { a: 3, b: 4 } })).toEqual(['replace /x']);
  expect(operations({ x: { a: 1, b: 2 } }, { x: { a: 3 } })).toEqual(['replace /x']);
  expect(operations({ x: { a: 1 } }, { x: { a: 3 } })).toEqual(['replace /x/a']);
  const leaves = (n: number) => ({ at: new Date(5), seen: new Map([['k', [n > 0]]]), n });
  expect([operations(leaves(1), leaves(2)), operations({ at: new Date(5), n: 1 }, { at: {}, n: 1 })]).toEqual([
    ['replace /n'],
    ['replace /at'],
  ]);
  expect(operations({ x: { a: 1, b: 2, c: 5 } }, { x: { a: 3, b: 4, c: 5 } })).toEqual([
    'replace /x/a',
    'replace /x/b',
  ]);
  const berth = entity('berth', rowOf<{ id: string; depth: number }>(), { key: 'id' });
  const port = tables('port', [berth]);
  const list = store('list', { items: [1, 2, 3] });
  const edited = list.action('edited', (draft, edit: string) => {
    if (edit === 'all') draft.items.forEach((one, i) => (draft.items[i] = one + 10));
    if (edit === 'two') [draft.items[0], draft.items[1]] = [7, 8];
    if (edit === 'shorter') draft.items.length = 1;
    if (edit === 'popped') for (let i = 0; i < 2; i++) draft.items.pop();
    if (edit === 'longer') draft.items.push(4, 5);
  });
  const patchOf = (act: (runtime: ReturnType<typeof recorder>) => void): string[] => {
    const runtime = recorder();
    runtime.dispatch(
      port.put(
        berth,
        ['n', 's', 'w'].map((id) => ({ id, depth: 1 })),
      ),
    );
    act(runtime);
    const { changes } = runtime.trace.steps.at(-1) as { changes: Patch };
    return changes.map(({ op, path }) => `${op} ${path}`);
  };
  const recorder = () => createRuntime({ stores: [port, list], trace: recording() });
  expect(patchOf((runtime) => runtime.dispatch(port.remove(berth, ['n', 's', 'w'])))).toEqual(['replace /port/berth']);
  expect(patchOf((runtime) => runtime.dispatch(port.remove(berth, ['n', 's'])))).toEqual([
    'remove /port/berth/n',
    'remove /port/berth/s',
  ]);
  expect(patchOf((runtime) => runtime.dispatch(edited('all')))).toEqual(['replace /list/items']);
  expect(patchOf((runtime) => runtime.dispatch(edited('two')))).toEqual([
    'replace /list/items/0',
    'replace /list/items/1',
  ]);
  expect(patchOf((runtime) => runtime.dispatch(edited('shorter')))).toEqual([
    'remove /list/items/1',
    'remove /list/items/1',
  ]);
  expect(patchOf((runtime) => runtime.dispatch(edited('popped')))).toEqual([
    'remove /list/items/2',
    'remove /list/items/1',
  ]);
  expect(patchOf((runtime) => runtime.dispatch(edited('longer')))).toEqual(['add /list/items/3', 'add /list/items/4']);
});
