// Optimistic actions among ordinary ones, confirmed and reverted in any order, against a fresh runtime that is given only
// those that stayed.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store, task, type AnyAction, type Optimistic, type TaskContext } from 'floe';
import { memoryStorage } from 'floe/persist';
import { recording } from 'floe/trace';
import { definitionOf } from '../../src/core/model/store.js';
import { hostOf } from '../../src/core/kernel/attachment.js';
import { takeIn } from '../../src/core/kernel/stating.js';
import { leastLength, runs } from '../support/runs.js';

interface Berth {
  id: number;
  vessel: string | null;
}
const board = store('board', { berths: [] as Berth[], moves: 0, note: { text: '', by: '' } }).persisted();
const tally = store('tally', { taken: 0, last: '' }).persisted();

const added = board.action('added', (draft, id: number) => {
  draft.berths.push({ id, vessel: null });
});
const removed = board.action('removed', (draft, id: number) => {
  draft.berths = draft.berths.filter((berth) => berth.id !== id);
});
/** Throws where there is no such berth: it may build on an action that is reverted. */
const taken = board.action('taken', (draft, { id, vessel }: { id: number; vessel: string }) => {
  const berth = draft.berths.find((one) => one.id === id);
  if (!berth) throw new Error(`there is no berth ${id}`);
  berth.vessel = vessel;
  draft.moves = draft.moves * 2 + 1;
});
const noted = board.action('noted', (draft, text: string) => {
  draft.note.text = text;
});
const swapped = board.action('swapped', (draft) => {
  draft.berths.reverse();
});
tally.when(taken, (draft, { vessel }) => {
  draft.taken++;
  draft.last = vessel;
});
tally.when(swapped, (draft) => {
  draft.last = '';
});

/** Hands its context out, and goes on until the runtime is closed. */
let context: TaskContext;
const atWork = task('atWork', (given) => {
  context = given;
  return new Promise<void>(() => undefined);
});

const id = fc.nat(3);
const aTaking = fc.record({ id, vessel: fc.constantFrom('Tern', 'Skua', 'Auk') }).map((one) => taken(one));
const anAction: fc.Arbitrary<AnyAction> = fc.oneof(
  id.map((one) => added(one)),
  id.map((one) => removed(one)),
  aTaking,
  fc.constantFrom('calm', 'fog').map((one) => noted(one)),
  fc.constant(0).map(() => swapped()),
);
interface States {
  readonly board: { berths: Berth[]; moves: number; note: { text: string; by: string } };
  readonly tally: { taken: number; last: string };
}
const someStates: fc.Arbitrary<States> = fc
  .record({ ids: fc.uniqueArray(id, { maxLength: 3 }), moves: fc.nat(2), last: fc.constantFrom('', 'Gannet') })
  .map(({ ids, moves, last }) => ({
    board: { berths: ids.map((one) => ({ id: one, vessel: null })), moves, note: { text: '', by: 'elsewhere' } },
    tally: { taken: moves, last },
  }));
type Op =
  | { readonly op: 'dispatch'; readonly action: AnyAction }
  | { readonly op: 'optimistic'; readonly action: AnyAction }
  | { readonly op: 'atomic'; readonly actions: readonly AnyAction[] }
  | { readonly op: 'confirm' | 'revert'; readonly which: number; readonly action?: AnyAction | undefined }
  | { readonly op: 'reset' }
  /** Another tab, or a storage, says what is certain. */
  | { readonly op: 'elsewhere'; readonly states: States };
const anOp: fc.Arbitrary<Op> = fc.oneof(
  { weight: 4, arbitrary: anAction.map((action) => ({ op: 'dispatch' as const, action })) },
  { weight: 4, arbitrary: anAction.map((action) => ({ op: 'optimistic' as const, action })) },
  { weight: 3, arbitrary: fc.tuple(anAction, aTaking).map((actions) => ({ op: 'atomic' as const, actions })) },
  { weight: 3, arbitrary: fc.nat(9).map((which) => ({ op: 'confirm' as const, which })) },
  {
    weight: 1,
    arbitrary: fc.tuple(fc.nat(9), anAction).map(([which, action]) => ({ op: 'confirm' as const, which, action })),
  },
  { weight: 4, arbitrary: fc.nat(9).map((which) => ({ op: 'revert' as const, which })) },
  { weight: 1, arbitrary: fc.constant({ op: 'reset' as const }) },
  { weight: 2, arbitrary: someStates.map((states) => ({ op: 'elsewhere' as const, states })) },
);

/** A berth that may be reverted, and a group that builds on it in its second part. */
const aBuilding: fc.Arbitrary<Op[]> = fc.integer({ min: 10, max: 19 }).map((berth) => [
  { op: 'optimistic', action: added(berth) },
  { op: 'atomic', actions: [noted(`for ${berth}`), taken({ id: berth, vessel: 'Petrel' })] },
]);
const aProgram = fc
  .array(fc.oneof({ weight: 12, arbitrary: anOp.map((op) => [op]) }, { weight: 1, arbitrary: aBuilding }), {
    minLength: leastLength,
    maxLength: 60,
  })
  .map((parts) => parts.flat());

/** What stayed so far, in its order; a list of two commits or rolls back together. */
interface Kept {
  actions: readonly AnyAction[] | 'reset' | States;
  handle?: Optimistic;
}

/** The states that a fresh runtime comes to, and who could not be applied. */
function fresh(kept: readonly Kept[]) {
  const [first] = kept;
  const given = first && 'actions' in first && typeof first.actions === 'object' && 'board' in first.actions;
  const initial = given ? (first.actions as States) : {};
  const runtime = createRuntime({ stores: [board, tally], initial: { ...initial } });
  const failed: Kept[] = [];
  for (const one of given ? kept.slice(1) : kept) {
    try {
      const { actions } = one;
      if (actions === 'reset') runtime.reset();
      else if ('board' in actions) throw new Error('states come first');
      else runtime.atomic(() => actions.forEach((action) => runtime.dispatch(action)));
    } catch {
      failed.push(one);
    }
  }
  return { states: runtime.snapshot(), failed };
}

function play(program: readonly Op[], recorded: boolean): void {
  const problems: unknown[] = [];
  const onProblem = ({ error }: { error: unknown }) => problems.push((error as { code: string }).code);
  const texts = new Map<string, string>();
  const storage = memoryStorage(texts);
  const names = ['board', 'tally'];
  const stores = [board, tally];
  const recorder = recorded ? createRuntime({ stores, onProblem, storage, trace: recording() }) : undefined;
  const runtime = recorder ?? createRuntime({ stores, onProblem });
  const run = runtime.run(atWork());
  run.catch(() => undefined);
  const taskContext = context;
  let kept: Kept[] = [];
  const open: Kept[] = [];
  let dropped = 0;
  const attempt = (fn: () => void): boolean => {
    try {
      fn();
      return true;
    } catch (error) {
      expect(error).toMatchObject({ code: 'FLOE_CHANGE_FAILED' });
      return false;
    }
  };
  /** What cannot be applied any more is dropped for good, and its handle does nothing from then on. */
  const drop = (failed: readonly Kept[]): void => {
    dropped += failed.reduce((sum, { actions }) => sum + (actions as readonly AnyAction[]).length, 0);
    kept = kept.filter((one) => !failed.includes(one));
    for (const one of failed) if (open.includes(one)) open.splice(open.indexOf(one), 1);
  };
  /** After a reset what is stored stays as it is until the next write: the text of then. */
  const stale = new Map<string, string | undefined>();
  const seen: { readonly seq: number; readonly states: unknown }[] = [];
  for (const op of program) {
    if (op.op === 'reset') {
      runtime.reset();
      kept.push({ actions: 'reset' });
      for (const name of names) stale.set(name, texts.get(name));
    } else if (op.op === 'elsewhere') {
      const { states } = op;
      const changes = stores.map((one) => {
        const definition = definitionOf(one as never);
        return { store: definition, before: undefined, after: states[definition.name as keyof States] };
      });
      takeIn(hostOf(runtime), changes, 'fromTab', { by: 'tab' });
      // What is not open is part of it.
      kept = [{ actions: states }, ...kept.filter((one) => open.includes(one))];
      drop(fresh(kept).failed);
    } else if (op.op === 'atomic') {
      if (attempt(() => runtime.atomic(() => op.actions.forEach((action) => runtime.dispatch(action)))))
        kept.push({ actions: op.actions });
    } else if (op.op === 'dispatch') {
      if (attempt(() => runtime.dispatch(op.action))) kept.push({ actions: [op.action] });
    } else if (op.op === 'optimistic') {
      let handle: Optimistic | undefined;
      if (attempt(() => (handle = taskContext.optimistic(op.action)))) {
        const one: Kept = { actions: [op.action], handle: handle! };
        kept.push(one);
        open.push(one);
      }
    } else if (open.length > 0) {
      const [one] = open.splice(op.which % open.length, 1);
      if (op.op === 'revert') {
        kept = kept.filter((other) => other !== one);
        one.handle!.revert();
        drop(fresh(kept).failed);
      } else if (op.action === undefined) one.handle!.confirm();
      else {
        const replaced = { ...one, actions: [op.action] };
        const next = kept.map((other) => (other === one ? replaced : other));
        const { failed } = fresh(next);
        const fits = !failed.includes(replaced);
        expect(attempt(() => one.handle!.confirm(op.action))).toBe(fits);
        if (fits) {
          kept = next;
          drop(failed);
        } else open.push(one);
      }
    }
    expect(runtime.snapshot()).toEqual(fresh(kept).states);
    if (!recorder) continue;
    seen.push({ seq: recorder.trace.cursor, states: runtime.snapshot() });
    // Storages hold the confirmed state.
    const certain = fresh(kept.filter((other) => !open.includes(other))).states;
    const stored = (name: string) => (JSON.parse(texts.get(name) ?? '{}') as { state?: unknown }).state;
    for (const name of names) {
      if (stale.has(name) && stale.get(name) === texts.get(name)) continue;
      stale.delete(name);
      expect(stored(name) ?? fresh([]).states[name]).toEqual(certain[name]);
    }
  }
  expect(problems).toEqual(Array.from({ length: dropped }, () => 'FLOE_DROPPED'));
  for (const { seq, states } of seen) expect(recorder!.trace.stateAt(seq)).toMatchObject(states as object);
  // A run that fails or is cancelled reverts what it left open.
  run.cancel();
  expect(runtime.snapshot()).toEqual(fresh(kept.filter((one) => !open.includes(one))).states);
}

describe.each([
  ['with a trace and a storage', true],
  ['without', false],
])('%s', (_name, recorded) => {
  test('the state is that of the actions that stayed, in their order', () => {
    fc.assert(
      fc.property(aProgram, (program) => play(program, recorded)),
      { numRuns: runs(150) },
    );
  });
});
