import { PackedStep } from './packing.js';
import type { Step } from './step.js';

/** What some steps brought about, without them: what handled them, and what the runs did that they started. */
export function causedBy(all: readonly (Step | PackedStep)[], roots: ReadonlySet<number>): Set<number> {
  const caused = new Set<number>();
  const runs = new Set<number>();
  const counts = (seq: number | undefined): boolean => seq !== undefined && (roots.has(seq) || caused.has(seq));
  for (const step of all) {
    // Code did it, and no step led to it.
    if (step instanceof PackedStep) continue;
    const { seq, cause, run, fact, about, alsoAbout } = step;
    if (
      !counts(cause.step) &&
      !(cause.run !== undefined && runs.has(cause.run)) &&
      !counts(about) &&
      !alsoAbout?.some(counts)
    ) {
      if (fact === 'runStarted' && run && roots.has(seq)) runs.add(run.id);
      continue;
    }
    if (fact === 'runStarted' && run) runs.add(run.id);
    if (!roots.has(seq)) caused.add(seq);
  }
  return caused;
}
