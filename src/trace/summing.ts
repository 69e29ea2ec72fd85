// The coalesced step: it counts the actions that the trace does not list. Adding an action must cost next to nothing, so the
// patches are computed only when a reader asks for the step.
import type { Difference, StoreChange, StoreDefinition, Transition } from '../core/internal.js';
import type { Step } from './step.js';

export class GrowingSum {
  private time = 0;
  private took = 0;
  private count = 0;
  private step: Step | undefined;
  /** The stores that it changed, as they were before the first of its actions, and as they are now. */
  private readonly changes: { readonly store: StoreDefinition; readonly first: StoreChange; after: unknown }[] = [];

  /** @param differenceOf the patches of some changes, as they may be recorded */
  constructor(
    readonly seq: number,
    readonly after: number | null,
    readonly branch: number,
    private readonly differenceOf: (changed: readonly StoreChange[]) => Difference,
  ) {}

  add({ changed, time, took }: Transition): void {
    this.step = undefined;
    this.time = time;
    this.took += took;
    this.count++;
    for (let i = 0; i < changed.length; i++) this.note(changed[i]);
  }

  private note(change: StoreChange): void {
    const { store, after } = change;
    for (const known of this.changes)
      if (known.store === store) {
        known.after = after;
        return;
      }
    this.changes.push({ store, first: change, after });
  }

  /** The step as it is by now. */
  get now(): Step {
    return (this.step ??= this.made());
  }

  private made(): Step {
    const changed = this.changes
      .map(({ first, after }) => ({ ...first, after }))
      .filter(({ before, after, joined }) => joined || before !== after);
    const { changes, undo, moves } = this.differenceOf(changed);
    return {
      seq: this.seq,
      time: this.time,
      kind: 'fact',
      fact: 'summed',
      cause: { by: 'runtime' },
      stores: changed.map(({ store }) => store.name),
      changes,
      undo,
      took: Math.round(this.took * 1000) / 1000,
      // What was done and reverted comes to nothing.
      outcome: changes.length > 0 ? 'applied' : 'unchanged',
      after: this.after,
      branch: this.branch,
      count: this.count,
      ...(moves && { moves }),
    };
  }
}
