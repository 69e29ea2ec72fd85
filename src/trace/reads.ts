// What is read of a trace, wherever its cursor is.
import { aboutOf, differenceOfStates, guardData, storesOf } from '../core/internal.js';
import type { AnyStore, Patch } from '../core/index.js';
import { compareLines, type Comparison } from './compare.js';
import { changesOf, type ValueChange } from './history.js';
import { sourceFor, type TraceSource } from './source.js';
import { statesAt, type TraceState } from './state.js';
import type { Branch, Interaction, Step } from './step.js';
import type { States } from './kept-states.js';

export class TraceReads {
  constructor(private readonly state: TraceState) {}

  step(seq: number): Step | undefined {
    return this.state.timeline.step(seq);
  }

  get interactions(): readonly Interaction[] {
    return interactionsOf(this.state);
  }

  watch(listener: (from?: number) => void): () => void {
    return this.state.watchers.add(listener);
  }

  get isLive(): boolean {
    return this.state.past === undefined;
  }
  get branches(): readonly Branch[] {
    const { redaction, timeline } = this.state;
    if (redaction.none) return timeline.branches.list;
    return timeline.branches.list.map((branch) => ({ ...branch, name: redaction.secrets.message(branch.name) }));
  }
  get branch(): number {
    return this.state.timeline.branch;
  }

  stateAt(seq: number): States {
    const states = { ...statesAt(this.state, this.state.timeline.indexOf(seq)) };
    guardData(states, { at: '', what: 'The recorded state' });
    return states;
  }

  changes(from: number, to: number): Patch {
    return differenceOfStates(this.stateAt(from), this.stateAt(to)).changes;
  }

  history(pointer: string): readonly ValueChange[] {
    const steps = this.state.timeline.line.slice(0, this.state.at + 1).reverse();
    return [...changesOf(pointer, steps, statesAt(this.state, this.state.at))].reverse();
  }

  compareBranches(a: number, b: number): Comparison {
    return compareLines(this.contentsOf(a), this.contentsOf(b));
  }

  private contentsOf(branch: number): { steps: readonly Step[]; states: States } {
    const { common, steps } = this.state.timeline.lineOf(branch);
    const before = statesAt(this.state, -1);
    return { steps: [...this.state.timeline.line.slice(0, common + 1), ...steps], states: before };
  }

  get actions(): readonly string[] {
    return [...new Set(storesOf(this.state.host).flatMap((store) => [...store.types()]))].sort();
  }
}

/** What the user did, without secrets. */
export function interactionsOf({ redaction, did, timeline }: TraceState): readonly Interaction[] {
  const all = did.list(timeline.nextSeq);
  return redaction.none ? all : all.map((one) => redaction.interaction(one));
}

/** The history as tools read it. */
export const sourceIn = (state: TraceState): TraceSource =>
  sourceFor({
    timeline: () => state.timeline,
    interactions: () => interactionsOf(state),
    redacted: () => state.redaction.rules.places,
    application: () => state.written.application,
    stores: () => storesOf(state.host) as readonly unknown[] as readonly AnyStore[],
    statesAt: (index, beside) => state.timeline.states.at(index, [...state.known, ...beside]),
    revision: () => state.revisions,
    about: (kind, name) => aboutOf(state.host, kind, name),
    watch: state.watchers.add,
    conceal: (data) => state.redaction.freed(data),
    report: (error) => state.host.problem(error),
  });
