// Optimistic actions that read and write here and there, settled in any order, against a fresh runtime that is given those
// that stayed: whatever an action read, reverting another one changes what it comes to only where they met.
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store, task, type AnyAction, type Optimistic, type TaskContext } from 'floe';
import { recording } from 'floe/trace';
import { leastLength, runs } from '../support/runs.js';

interface Row {
  id: number;
  n: number;
  tags: string[];
  place?: { pier: number };
}
interface Board {
  rows: Row[];
  by: Record<string, Row | undefined>;
  marks: number[];
  total: number;
  note: string | undefined;
}
const begin = (): Board => ({
  rows: [0, 1, 2, 3, 4, 5, 6, 7, 8, 9].map((id) => ({
    id,
    n: id,
    tags: ['a'],
    ...(id > 1 && { place: { pier: id } }),
  })),
  by: { x: { id: 9, n: 0, tags: [] } },
  marks: [1, 2, 3, 4, 5, 6, 7, 8, 9, 10],
  total: 0,
  note: undefined,
});
const board = store('board', begin);
const log = store('log', { seen: 0 });

const keyed = fc.constantFrom('x', 'y', 'z');
const at = fc.nat(3);
const edits: Record<string, (draft: Board, i: number, key: string) => unknown> = {
  setN: (draft, i) => (draft.rows[i % draft.rows.length].n = 7),
  bump: (draft, i) => draft.rows[i % draft.rows.length].n++,
  byId: (draft, i) => {
    const row = draft.rows.find(({ id }) => id === i);
    if (row) row.n *= 2;
  },
  tag: (draft, i) => draft.rows[i % draft.rows.length].tags.push('b'),
  tags: (draft, i) => (draft.rows[i % draft.rows.length].tags = ['c']),
  put: (draft, i, key) => (draft.by[key] = { id: i, n: i, tags: [] }),
  drop: (draft, _i, key) => delete draft.by[key],
  inside: (draft, _i, key) => {
    if (key in draft.by) draft.by[key]!.n = 5;
  },
  share: (draft, i, key) => (draft.by[key] = draft.rows[i % draft.rows.length]),
  nest: (draft, i, key) => (draft.by[key] = { ...draft.rows[i % draft.rows.length], n: 3 }),
  copy: (draft, i, key) => (draft.by[key] = JSON.parse(JSON.stringify(draft.rows[i % draft.rows.length])) as Row),
  count: (draft) => (draft.total = Object.keys(draft.by).length),
  sum: (draft) => (draft.total = draft.rows.reduce((sum, { n }) => sum + n, 0)),
  mark: (draft, i) => (draft.marks[i] = 0),
  markLast: (draft) => draft.marks.push(draft.marks.length),
  unmark: (draft) => void draft.marks.pop(),
  move: (draft) => draft.marks.splice(1, 0, draft.marks[0]),
  has: (draft, i) => (draft.total = draft.marks.includes(i) ? 1 : 2),
  some: (draft, i) => (draft.note = draft.marks.some((mark) => mark === i) ? 'yes' : 'no'),
  add: (draft, i) => draft.rows.push({ id: i, n: 0, tags: [] }),
  pier: (draft, i) => {
    const { place } = draft.rows[i % draft.rows.length];
    if (place) place.pier++;
    else draft.rows[i % draft.rows.length].place = { pier: 0 };
  },
  rows: (draft) => (draft.rows = draft.rows.filter(({ n }) => n < 9)),
  recount: () => undefined,
  note: (draft, i) => (draft.note = `${draft.rows.length} ${i}`),
};
type Edit = readonly [name: string, i: number, key: string];
const edited = board.action('edited', (draft, all: readonly Edit[]) => {
  for (const [name, i, key] of all) edits[name](draft, i, key);
});
/** Gives the next state instead of editing the draft. */
const recounted = board.action('recounted', (draft) => ({ ...draft, total: draft.rows[0].n }));
const actionOf = (all: readonly Edit[]): AnyAction => (all[0][0] === 'recount' ? recounted() : edited(all));
log.when(edited, (draft, all) => {
  if (all.length > 1) draft.seen += all.length;
});

let context: TaskContext;
const atWork = task('atWork', (given) => {
  context = given;
  return new Promise<void>(() => undefined);
});

const anOp = (names: readonly string[]) =>
  fc.oneof(
    {
      weight: 3,
      arbitrary: fc.record({
        all: fc.array(fc.tuple(fc.constantFrom(...names), at, keyed), { minLength: 1, maxLength: 1 }),
        settle: fc.constant(0),
        how: fc.constant(undefined),
      }),
    },
    {
      weight: 2,
      arbitrary: fc.record({
        all: fc.constant(undefined),
        settle: fc.nat(9),
        how: fc.constantFrom('confirm', 'revert', 'revert'),
      }),
    },
  );
/** Of a few kinds of edits each: some of them have everything computed again. */
const aProgram = fc
  .uniqueArray(fc.constantFrom(...Object.keys(edits)), { minLength: 1, maxLength: 2 })
  .chain((names) => fc.array(anOp(names), { minLength: leastLength > 0 ? 12 : 4, maxLength: 12 }));

/** The states that the actions come to that stayed. */
function fresh(kept: readonly (readonly Edit[])[]): unknown {
  const runtime = createRuntime({ stores: [board, log] });
  for (const all of kept) runtime.dispatch(actionOf(all));
  return runtime.snapshot();
}

test('of any two edits, either is reverted without the other', () => {
  const names = Object.keys(edits);
  for (const one of names)
    for (const other of names)
      for (const [i, j] of [
        [0, 0],
        [0, 2],
        [9, 9],
      ])
        for (const isFirst of [true, false]) {
          const runtime = createRuntime({ stores: [board, log] });
          void runtime.run(atWork()).catch(() => undefined);
          const both: Edit[][] = [[[one, i, 'x']], [[other, j, j === 2 ? 'y' : 'x']]];
          const handles = both.map((all) => context.optimistic(actionOf(all)));
          handles[isFirst ? 0 : 1].revert();
          const states = runtime.snapshot();
          void runtime.close();
          expect({ one, other, i, j, isFirst, states }).toEqual({
            ...{ one, other, i, j, isFirst },
            states: fresh([both[isFirst ? 1 : 0]]),
          });
        }
});

test('a state after optimistic actions were settled is that of the actions that stayed', () => {
  fc.assert(
    fc.property(aProgram, fc.boolean(), (program, isTraced) => {
      const runtime = createRuntime({
        stores: [board, log],
        onProblem: () => undefined,
        ...(isTraced && { trace: recording() }),
      });
      void runtime.run(atWork()).catch(() => undefined);
      let kept: { readonly all: readonly Edit[]; readonly handle: Optimistic; open: boolean }[] = [];
      for (const op of program) {
        const open = kept.filter((one) => one.open);
        if (op.all) {
          const { all } = op;
          kept.push({ all, handle: context.optimistic(actionOf(all)), open: true });
        } else if (open.length > 0) {
          const one = open[op.settle % open.length];
          one.open = false;
          if (op.how === 'confirm') one.handle.confirm();
          else {
            one.handle.revert();
            kept = kept.filter((other) => other !== one);
          }
        }
        expect(runtime.snapshot()).toEqual(fresh(kept.map(({ all }) => all)));
      }
      void runtime.close();
    }),
    { numRuns: runs(200) },
  );
});
