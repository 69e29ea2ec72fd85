// Items of lists keep their identity through whatever a change does to a draft, though nothing in the data tells them apart.
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { action, createRuntime, store } from 'floe';
import { readTrace, recording, undoStack } from 'floe/trace';
import { edit, Model, someProgram, type Board, type Edit, type Item, type Kid } from '../support/moving-items.js';
import { runs } from '../support/runs.js';

const board = store('board', (): Board => ({ list: [] }));
const edited = board.action('edited', (draft, edits: readonly Edit[]) => {
  for (const one of edits) edit(draft, one);
});

/** The steps that gave an item, or a kid, the value that it has; in the model an object is its own identity. */
class Blame {
  private readonly seen = new Map<Item | Kid, { value: number; steps: number[] }>();
  readonly model = new Model();

  step(seq: number): void {
    const look = (one: Item | Kid, value: number): void => {
      const known = this.seen.get(one);
      if (!known) this.seen.set(one, { value, steps: [seq] });
      else if (known.value !== value) {
        known.value = value;
        known.steps.push(seq);
      }
    };
    for (const item of this.model.board.list) {
      look(item, item.n);
      for (const kid of item.kids) look(kid, kid.m);
    }
  }
  of = (one: Item | Kid): number[] => this.seen.get(one)!.steps;
}

test('history blames the steps that changed an item, wherever it stood', () => {
  let items = 0;
  fc.assert(
    fc.property(someProgram(), (program) => {
      const runtime = createRuntime({ stores: [board], trace: recording() });
      const blame = new Blame();
      for (const edits of program) {
        runtime.dispatch(edited(edits));
        blame.model.run(edits);
        blame.step(runtime.trace.cursor);
      }
      expect(runtime.read(board)).toEqual(blame.model.board);
      const { trace } = runtime;
      for (const [i, item] of blame.model.board.list.entries()) {
        const steps = (pointer: string): number[] => trace.history(pointer).map(({ step }) => step.seq);
        items++;
        expect({ i, steps: steps(`/board/list/${i}/n`) }).toEqual({ i, steps: blame.of(item) });
        for (const [k, kid] of item.kids.entries())
          expect({ i, k, steps: steps(`/board/list/${i}/kids/${k}/m`) }).toEqual({ i, k, steps: blame.of(kid) });
      }
      expect(readTrace(trace.export()).steps.map(({ moves }) => moves)).toEqual(trace.steps.map(({ moves }) => moves));
    }),
    { numRuns: runs(250) },
  );
  expect(items).toBeGreaterThan(100);
});

const byOthers = action<readonly Edit[]>('byOthers');
board.when(byOthers, (draft, edits) => {
  for (const one of edits) edit(draft, one);
});

/** Each item and kid by its tag, with the value that it has. */
function valuesOf({ list }: Board): ReadonlyMap<string, number> {
  const values = new Map<string, number>();
  for (const { tag, n, kids } of list) {
    values.set(`${tag}`, n);
    for (const kid of kids) values.set(`${tag}/${kid.tag}`, kid.m);
  }
  return values;
}

/** Where the values are not what was left: the way back does not lead there. */
function wayBack(
  now: ReadonlyMap<string, number>,
  from: ReadonlyMap<string, number>,
  to: ReadonlyMap<string, number>,
): ReadonlyMap<string, number> | 'conflict' {
  const next = new Map(now);
  const ofGoneItem = (key: string): boolean => key.includes('/') && !to.has(key.split('/')[0]);
  for (const key of new Set([...from.keys(), ...to.keys()])) {
    const [was, is, wanted] = [from.get(key), now.get(key), to.get(key)];
    if (was === wanted) continue;
    if (was !== undefined && wanted !== undefined && is !== was) return 'conflict';
    if (was !== undefined && wanted === undefined) {
      if (is !== undefined && is !== was) return 'conflict';
      if (!ofGoneItem(key))
        for (const other of now.keys()) if (other.startsWith(`${key}/`) && !from.has(other)) return 'conflict';
      next.delete(key);
    } else if (wanted !== undefined) next.set(key, wanted);
  }
  return next;
}

test('undo changes the items that its entry changed, wherever they stand now', () => {
  const became: Record<string, number> = {};
  fc.assert(
    fc.property(someProgram(true), fc.infiniteStream(fc.constantFrom('user', 'other', 'other')), (program, who) => {
      const runtime = createRuntime({ stores: [board], trace: recording() });
      const edits = undoStack(runtime, { stores: [board], except: [byOthers], together: () => false });
      let entries: (readonly [ReadonlyMap<string, number>, ReadonlyMap<string, number>])[] = [];
      for (const one of program) {
        const before = valuesOf(runtime.read(board));
        const isUsers = who.next().value === 'user';
        const outcome = runtime.dispatch(isUsers ? edited(one) : byOthers(one));
        if (isUsers && outcome === 'applied') entries.push([before, valuesOf(runtime.read(board))]);
      }
      for (const isUndo of [true, false]) {
        const moves: typeof entries = [];
        for (const [before, after] of entries.reverse()) {
          const state = runtime.read(board);
          const now = valuesOf(state);
          const result = isUndo ? edits.undo() : edits.redo();
          became[result.became] = (became[result.became] ?? 0) + 1;
          // A redo reverts the undo; another step may have done the same before it.
          const wanted = wayBack(now, after, before);
          if (result.became === 'done') {
            const then = valuesOf(runtime.read(board));
            expect(then).toEqual(wanted);
            moves.push([now, then]);
          } else {
            expect(runtime.read(board)).toBe(state);
            // The order was changed since, in a way that leaves no way back.
            if (wanted !== 'conflict') became.order = (became.order ?? 0) + 1;
            // Nothing was touched; what is above it waits.
            return;
          }
        }
        entries = moves;
        for (const pointer of runtime.read(board).list.keys()) runtime.trace.history(`/board/list/${pointer}/n`);
      }
    }),
    { numRuns: runs(250) },
  );
  expect(became.order).toBeLessThan(0.1 * became.done);
});

test('an edit is followed through whatever others move, put in and take out', () => {
  const ended = { done: 0, gone: 0 };
  fc.assert(
    fc.property(someProgram(true), fc.nat(5), (program, place) => {
      const runtime = createRuntime({ stores: [board] });
      const edits = undoStack(runtime, { stores: [board], except: [byOthers] });
      const structural = program.map((one) => one.filter(({ what }) => what !== 'edit'));
      const start = Array.from({ length: 6 }, (_, i) => ({
        what: 'push' as const,
        a: 0,
        b: 0,
        v: 0,
        fresh: i,
        isTagged: true,
      }));
      runtime.dispatch(byOthers(start));
      const { tag } = runtime.read(board).list[place];
      runtime.dispatch(edited([{ ...start[0], what: 'edit', a: place, v: 77 }]));
      for (const one of structural) runtime.dispatch(byOthers(one));
      const { list } = runtime.read(board);
      const result = edits.undo();
      if (!list.some((item) => item.tag === tag)) {
        ended.gone++;
        expect([result.became, runtime.read(board).list]).toEqual(['conflict', list]);
        return;
      }
      ended.done++;
      expect(result.became).toBe('done');
      expect(runtime.read(board).list).toEqual(list.map((item) => (item.tag === tag ? { ...item, n: place } : item)));
    }),
    { numRuns: runs(250) },
  );
  expect(Math.min(ended.done, ended.gone)).toBeGreaterThan(10);
});
