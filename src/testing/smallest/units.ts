// What can be left out of a recording: steps with all that they brought about. Steps of one transaction stay together, a run stays with
// its facts, and what settles an optimistic action stays with it.
import { STAYING } from '../../core/internal.js';
import type { Interaction, Step } from '../../trace/index.js';

/** Steps that are left out together. What is below it goes with it. */
export interface Unit {
  readonly steps: Step[];
  readonly parent: Unit | undefined;
  /** How many are above it. */
  readonly depth: number;
}

/** The units of a line of steps, and the one that each step belongs to; steps that always stay belong to none. */
export function unitsOf(line: readonly Step[], interactions: readonly Interaction[]): ReadonlyMap<Step, Unit> {
  const bySeq = new Map<number, Unit>();
  const byGroup = new Map<number, Unit>();
  const byRun = new Map<number, Unit>();
  const byInteraction = new Map<Interaction, Unit>();
  const of = new Map<Step, Unit>();
  const made = (parent: Unit | undefined): Unit => ({ steps: [], parent, depth: parent ? parent.depth + 1 : 0 });
  const usersAct = (seq: number): Unit | undefined => {
    const found = interactions.find(({ from, steps }) => seq >= from && seq < from + steps);
    if (!found) return undefined;
    let unit = byInteraction.get(found);
    if (!unit) byInteraction.set(found, (unit = made(undefined)));
    return unit;
  };
  for (const step of line) {
    if (step.kind === 'fact' && STAYING.has(step.fact!)) continue;
    const { group, run, about, cause, seq } = step;
    const above = cause.run === undefined || cause.run === run?.id ? undefined : byRun.get(cause.run);
    const parent = above ?? (cause.step === undefined ? undefined : bySeq.get(cause.step)) ?? usersAct(seq);
    const known =
      (group === undefined ? undefined : byGroup.get(group)) ??
      (run === undefined ? undefined : byRun.get(run.id)) ??
      (about === undefined ? undefined : bySeq.get(about));
    const unit = known ?? made(parent);
    unit.steps.push(step);
    of.set(step, unit);
    bySeq.set(seq, unit);
    if (group !== undefined) byGroup.set(group, unit);
    if (run !== undefined && run.id > 0 && !byRun.has(run.id)) byRun.set(run.id, unit);
  }
  return of;
}
