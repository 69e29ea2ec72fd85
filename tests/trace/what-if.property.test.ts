// Travel, branches and exclusions against plain data: rule 13.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import jsonPatch from 'fast-json-patch';
import { createRuntime, store, type Patch } from 'floe';
import { readTrace, recording, replayTrace, type Step } from 'floe/trace';
import { runs } from '../support/runs.js';

interface Visit {
  id: string;
  phase: number;
}
interface State {
  list: Visit[];
  count: number;
  notes: Record<string, string>;
}

// What each action does, in two hands: as changes of a store, and here as functions of plain data.
const plain = {
  planned(state: State, id: string): void {
    if (state.list.some((visit) => visit.id === id)) throw new Error('twice');
    state.list.push({ id, phase: 0 });
  },
  movedOn(state: State, id: string): void {
    const found = state.list.find((visit) => visit.id === id);
    if (!found) throw new Error('unknown');
    found.phase++;
  },
  removed(state: State, id: string): void {
    state.list = state.list.filter((visit) => visit.id !== id);
  },
  reversed(state: State): void {
    state.list.reverse();
  },
  counted(state: State): void {
    state.count += state.list.length;
  },
  noted(state: State, id: string): void {
    if (state.notes[id] === undefined) state.notes[id] = String(state.count);
    else delete state.notes[id];
  },
};
type Kind = keyof typeof plain;
const kinds = Object.keys(plain) as Kind[];

const visits = store('visits', { list: [], count: 0, notes: {} } as State);
const planned = visits.action('planned', (draft, id: string) => {
  if (draft.list.some((visit) => visit.id === id)) throw new Error('twice');
  draft.list.push({ id, phase: 0 });
});
const movedOn = visits.action('movedOn', (draft, id: string) => {
  const found = draft.list.find((visit) => visit.id === id);
  if (!found) throw new Error('unknown');
  found.phase++;
});
const removed = visits.action('removed', (draft, id: string) => {
  const index = draft.list.findIndex((visit) => visit.id === id);
  if (index >= 0) draft.list.splice(index, 1);
});
const reversed = visits.action('reversed', (draft, _id: string) => void draft.list.reverse());
const counted = visits.action('counted', (draft, _id: string) => {
  draft.count += draft.list.length;
});
const noted = visits.action('noted', (draft, id: string) => {
  if (draft.notes[id] === undefined) draft.notes[id] = String(draft.count);
  else delete draft.notes[id];
});
const made = { planned, movedOn, removed, reversed, counted, noted };

/** One step, as the model knows it. */
interface Node {
  after: number | null;
  actions?: { kind: Kind; id: string };
  patch?: Patch;
  group?: number;
}

/** The states after each step of a line, from what happened and what is excluded. */
function statesOf(line: readonly number[], nodes: ReadonlyMap<number, Node>, excluded: ReadonlySet<number>): unknown[] {
  const states: { visits?: State }[] = [];
  let state: { visits?: State } = {};
  for (let i = 0; i < line.length; i++) {
    const node = nodes.get(line[i])!;
    const together = line.slice(i).filter((seq) => node.group !== undefined && nodes.get(seq)!.group === node.group);
    const all = together.length > 0 ? together : [line[i]];
    const before = state;
    const after: typeof states = [];
    try {
      for (const seq of all) {
        const next = structuredClone(state);
        const { actions, patch } = nodes.get(seq)!;
        if (!excluded.has(seq)) {
          if (actions) plain[actions.kind](next.visits!, actions.id);
          else if (patch) state = jsonPatch.applyPatch(next, structuredClone(patch) as never, true).newDocument;
        }
        if (actions) state = next;
        after.push(state);
      }
      states.push(...after);
    } catch {
      state = before;
      for (const _ of all) states.push(before);
    }
    i += all.length - 1;
  }
  return states;
}

/** What does not depend on when it was, on its group's number, and on whether a file came in between. */
const bare = ({ seq, kind, action, outcome, after, branch, excluded }: Step): unknown => [
  [seq, kind, action?.type, action?.payload, outcome, after, branch, excluded],
];

const letter = fc.constantFrom('a', 'b', 'c');
// What depends on what came before comes more often.
const dispatched = fc.tuple(fc.constantFrom(...kinds, 'planned' as const, 'counted' as const), letter);
const command = fc.oneof(
  { weight: 7, arbitrary: fc.record({ do: fc.constant('dispatch' as const), what: dispatched }) },
  {
    weight: 3,
    arbitrary: fc.record({ do: fc.constant('atomic' as const), all: fc.array(dispatched, { maxLength: 3 }) }),
  },
  // Mostly early steps, so that much is computed again.
  { weight: 3, arbitrary: fc.record({ do: fc.constantFrom('exclude' as const, 'include' as const), at: fc.nat(8) }) },
  { weight: 1, arbitrary: fc.record({ do: fc.constant('seek' as const), at: fc.nat(30) }) },
  {
    weight: 1,
    arbitrary: fc.record({
      do: fc.constantFrom('live' as const, 'back' as const, 'forward' as const, 'reset' as const),
    }),
  },
  { weight: 1, arbitrary: fc.record({ do: fc.constant('switch' as const), branch: fc.nat(5) }) },
  { weight: 1, arbitrary: fc.record({ do: fc.constant('file' as const) }) },
);

describe('rule 13: the state at every step is what the steps that count come to', () => {
  test.each([
    ['all steps kept', 10_000],
    ['few steps kept', 8],
  ])('%s', (_, limit) => {
    fc.assert(
      fc.property(fc.array(command, { maxLength: 60, size: 'max' }), (program) => {
        const runtime = createRuntime({ stores: [visits], trace: recording({ limit }), onProblem: () => undefined });
        const { trace } = runtime;
        // The same again, where no step is read before the end: those are kept in another form until then.
        const blind = createRuntime({ stores: [visits], trace: recording({ limit }), onProblem: () => undefined });
        const nodes = new Map<number, Node>();
        const excluded = new Set<number>();
        const takenBack = new Set<number>();
        let seen = -1;
        /** What happened since, as the model notes it: facts with the patch that they state. */
        const note = (): void => {
          for (const { seq, after, action, changes, group, outcome } of trace.steps.filter((step) => step.seq > seen)) {
            seen = seq;
            const kind = action?.type.split('.')[1] as Kind | undefined;
            if (outcome === 'reverted') takenBack.add(group!);
            nodes.set(seq, {
              after,
              ...(kind && { actions: { kind, id: action!.payload as string } }),
              ...(!kind && { patch: changes }),
              ...(group !== undefined && { group }),
            });
          }
          for (const node of nodes.values()) if (takenBack.has(node.group ?? -1)) delete node.actions;
        };
        const lineTo = (seq: number | null): number[] => (seq === null ? [] : [...lineTo(nodes.get(seq)!.after), seq]);
        const check = (): void => {
          const line = lineTo(trace.steps.at(-1)!.seq);
          const expected = statesOf(line, nodes, excluded);
          for (const step of trace.steps) {
            const state = expected[line.indexOf(step.seq)];
            expect(trace.stateAt(step.seq)).toEqual(state);
            expect(step.excluded ?? false).toBe(excluded.has(step.seq));
          }
          expect(runtime.snapshot()).toEqual(expected[line.indexOf(trace.cursor)]);
          expect([blind.snapshot(), blind.trace.cursor]).toEqual([runtime.snapshot(), trace.cursor]);
        };
        const both = (fn: (one: typeof runtime) => void): boolean => {
          const results = [runtime, blind].map((one) => tryTo(() => fn(one)));
          expect(results[1]).toBe(results[0]);
          return results[0];
        };
        const tryTo = (fn: () => void): boolean => {
          try {
            fn();
            return true;
          } catch {
            return false;
          }
        };
        note();
        for (const one of program) {
          if (one.do === 'dispatch') both((each) => each.dispatch(made[one.what[0]](one.what[1])));
          else if (one.do === 'atomic')
            both((each) => each.atomic(() => one.all.forEach(([kind, id]) => each.dispatch(made[kind](id)))));
          else if (one.do === 'seek') {
            const { seq } = trace.steps[one.at % trace.steps.length];
            both((each) => each.trace.seek(seq));
          } else if (one.do === 'exclude' || one.do === 'include') {
            const step = trace.steps[one.at % trace.steps.length];
            if (both((each) => each.trace[one.do as 'exclude'](step.seq))) {
              for (const [seq, node] of nodes)
                if (seq === step.seq || (step.group !== undefined && step.group === node.group)) {
                  if (node.patch) continue;
                  if (one.do === 'exclude') excluded.add(seq);
                  else excluded.delete(seq);
                }
            } else expect(step.kind).toBe('fact');
          } else if (one.do === 'reset') both((each) => each.reset());
          else if (one.do === 'switch') {
            const branch = trace.branches[one.branch % trace.branches.length];
            both((each) => each.trace.switchTo(branch.id));
          } else if (one.do === 'file') {
            const { isLive, cursor, branch: at } = trace;
            const text = trace.export();
            const opened = both(({ trace: one }) => {
              if (one.import(one.export()).problem) throw new Error('the file was cut short');
              one.switchTo(at);
              if (!isLive) one.seek(cursor);
            });
            expect(opened).toBe(true);
            const { steps } = readTrace(text);
            const tip = trace.branches.find(({ id }) => id === at)!.tip;
            if (steps.some(({ seq }) => seq === tip))
              expect(
                replayTrace(text, { stores: [visits], branch: steps.find(({ seq }) => seq === tip)!.branch })
                  .divergence,
              ).toBeUndefined();
          } else both((each) => each.trace[one.do as 'live']());
          note();
          check();
        }
        for (const { id } of trace.branches) {
          both((each) => each.trace.switchTo(id));
          check();
          expect(blind.trace.steps.map(bare)).toEqual(trace.steps.map(bare));
        }
      }),
      { numRuns: runs(100) },
    );
  });
});
