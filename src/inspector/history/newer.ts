// What came after a moment.
import type { TraceSource } from '../../trace/internal.js';
import type { Moment } from '../protocol/protocol.js';
import type { MomentNote } from './moment-notes.js';
import { Mark } from './step-columns.js';
import type { StepIndex } from './step-index.js';

/** What came since, and belongs to other moments. */
export function newerOf(number: number, source: TraceSource, index: StepIndex, isNewest: boolean): Moment['newer'] {
  const moments = index.moments.length - 1 - number;
  // Counting them costs a look at each step.
  if (!isNewest) return { moments, failed: 0, failedSeq: null, byUser: true };
  let failed = 0;
  let failedSeq: number | null = null;
  const next = index.moments[number + 1] as MomentNote | undefined;
  for (let at = Math.max(index.first, next?.first ?? index.end); at < index.end; at++) {
    if (index.steps.moment(at) <= number || !(index.steps.marksAt(at) & Mark.problem)) continue;
    failed++;
    failedSeq ??= source.at(at)?.seq ?? null;
  }
  const byUser = index.moments.slice(number + 1).some(({ by }) => by === 'user');
  return { moments, failed, failedSeq, byUser };
}
