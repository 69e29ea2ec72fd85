// The runs of tasks in a history: what each was given, how it ended, and who asked for it.
import type { TraceSource } from '../../trace/internal.js';
import type { Methods, RunShown, TaskShown } from '../protocol/protocol.js';
import type { RunSpan, StepIndex } from './step-index.js';
import { argumentsText } from './words.js';

/** What is known of a run that is under way now. */
export interface RunUnderWay {
  readonly id: number;
  readonly waitsFor: readonly string[];
}

interface RunsKnown {
  readonly source: TraceSource;
  readonly index: StepIndex;
  /** What runs now; `undefined` where there is no application, only its history. */
  readonly underWay: readonly RunUnderWay[] | undefined;
  /** The sentence of the moment of the step at a position. */
  becauseOf(position: number): string;
}

/** So many runs are given at once. */
const MOST_RUNS = 100;

/**
 * The tasks of which runs are kept, and the newest runs of all of them or of one; those under way come first.
 */
export function taskRunsShown(
  { task, count }: Methods['tasks']['params'],
  { source, index, underWay, becauseOf }: RunsKnown,
): Methods['tasks']['result'] {
  const now = underWay && new Map(underWay.map((run) => [run.id, run]));
  const isUnderWay = (span: RunSpan): boolean => span.phase === 'running' && (now?.has(span.id) ?? true);
  const kept = [...index.runs.values()].filter(({ start }) => start >= index.first);
  const chosen = (task === undefined ? kept : kept.filter((span) => span.task === task)).reverse();
  const ordered = [...chosen.filter(isUnderWay), ...chosen.filter((span) => !isUnderWay(span))];
  const runShown = (span: RunSpan): RunShown => {
    const start = source.at(span.start)!;
    const end = span.end === undefined ? undefined : source.at(span.end);
    return {
      id: span.id,
      task: span.task,
      label: source.titleOf(start) ?? span.task,
      arguments: argumentsText(start.run?.args ?? []),
      seq: start.seq,
      last: end?.seq ?? null,
      time: start.time,
      took: end ? end.time - start.time : null,
      tries: span.retries.length + 1,
      phase: span.phase === 'running' && !isUnderWay(span) ? 'left' : span.phase,
      ...(end?.reason !== undefined && { reason: end.reason }),
      because: becauseOf(span.start),
      waitsFor: now?.get(span.id)?.waitsFor ?? [],
    };
  };
  return {
    tasks: tasksOf(kept, source, isUnderWay),
    runs: ordered.slice(0, Math.min(count, MOST_RUNS)).map(runShown),
    total: ordered.length,
  };
}

function tasksOf(
  kept: readonly RunSpan[],
  source: TraceSource,
  isUnderWay: (span: RunSpan) => boolean,
): readonly TaskShown[] {
  const byName = new Map<string, RunSpan[]>();
  for (const span of kept) {
    const list = byName.get(span.task);
    if (list) list.push(span);
    else byName.set(span.task, [span]);
  }
  return Array.from(byName, ([name, spans]) => {
    const times = spans.flatMap(({ start, end }) =>
      end === undefined ? [] : source.at(end)!.time - source.at(start)!.time,
    );
    return {
      name,
      runs: spans.length,
      underWay: spans.filter(isUnderWay).length,
      failed: spans.filter(({ phase }) => phase === 'failed').length,
      longest: times.length === 0 ? null : Math.max(...times),
    };
  }).sort((a, b) => b.underWay - a.underWay || (a.name < b.name ? -1 : 1));
}
