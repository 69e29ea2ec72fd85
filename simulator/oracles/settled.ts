// Optimistic actions: each is settled exactly once.
import { isOptimistic } from '../model/pending.js';
import { Fault } from '../planned.js';
import type { Session } from '../session.js';

/** @param isOver whether every run has ended: then none may be open */
export function checkSettled({ trace, blueprint, problems, isReloaded, line }: Session, isOver: boolean): void {
  if (!trace || isReloaded || !line?.isWhole || trace.isPaused || blueprint.limit < 10_000 || blueprint.redacts) return;
  const { steps } = trace;
  const settled = new Map<number, number>();
  for (const { about, alsoAbout = [], fact } of steps)
    if (about !== undefined && (fact === 'confirmed' || fact === 'reverted'))
      for (const seq of [about, ...alsoAbout]) settled.set(seq, (settled.get(seq) ?? 0) + 1);
  for (const [about, count] of settled)
    if (count > 1) throw new Fault('settled once', `step ${about} is settled ${count} times`);
  // On a branch, after an exclusion, or where it was dropped, nothing is left to settle; nor where it had failed, and counts
  // since a step before it was left out and taken in again.
  if (!isOver || trace.branches.length > 1 || line.isRevised) return;
  if (problems.some(({ code }) => code === 'FLOE_DROPPED')) return;
  for (const step of steps)
    if (isOptimistic(step) && (step.outcome === 'applied' || step.outcome === 'unchanged') && !settled.has(step.seq))
      throw new Fault('settled once', `step ${step.seq} was never settled, though its run is over`);
}
