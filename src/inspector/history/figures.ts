// What the work of an application costs, by action, task, selector and store: from what is recorded, and what is observed.
import type { TraceSource } from '../../trace/internal.js';
import type { Methods, Figure } from '../protocol/protocol.js';
import type { StepIndex } from './step-index.js';

/** What is known of selectors and notifications beside the history; milliseconds. */
export interface ObservedFigures {
  readonly selectors: readonly {
    readonly name: string;
    readonly count: number;
    readonly took: number;
    readonly longest: number;
  }[];
  readonly watchers: readonly { readonly name: string; readonly count: number }[];
  readonly stored: readonly { readonly name: string; readonly count: number; readonly characters: number | null }[];
}

/** So many rows of each kind are given, those that cost most. */
const MOST_ROWS = 100;

/** One row for each name, with how often and how long. */
export function figuresShown(
  source: TraceSource,
  index: StepIndex,
  observed: ObservedFigures | undefined,
): Methods['figures']['result'] {
  const actions = new Map<string, { count: number; took: number; longest: number }>();
  for (let at = index.first; at < index.end; at++) {
    const step = source.at(at);
    if (!step?.action) continue;
    const known = actions.get(step.action.type) ?? { count: 0, took: 0, longest: 0 };
    known.count++;
    known.took += step.took;
    known.longest = Math.max(known.longest, step.took);
    actions.set(step.action.type, known);
  }
  const tasks = new Map<string, { count: number; took: number; longest: number }>();
  for (const { task, start, end } of index.runs.values()) {
    if (end === undefined || start < index.first) continue;
    const took = source.at(end)!.time - source.at(start)!.time;
    const known = tasks.get(task) ?? { count: 0, took: 0, longest: 0 };
    tasks.set(task, { count: known.count + 1, took: known.took + took, longest: Math.max(known.longest, took) });
  }
  const rows: Figure[] = [
    ...mostOf(Array.from(actions, ([name, one]) => ({ kind: 'action' as const, name, ...one }))),
    ...mostOf(Array.from(tasks, ([name, one]) => ({ kind: 'task' as const, name, ...one }))),
    ...mostOf((observed?.selectors ?? []).map((one) => ({ kind: 'selector' as const, ...one }))),
    ...mostOf(
      (observed?.watchers ?? []).map((one) => ({ kind: 'watcher' as const, took: null, longest: null, ...one })),
    ),
    ...mostOf((observed?.stored ?? []).map((one) => ({ kind: 'stored' as const, took: null, longest: null, ...one }))),
  ];
  return { rows, isObserved: observed !== undefined };
}

const mostOf = (rows: readonly Figure[]): readonly Figure[] =>
  [...rows].sort((a, b) => (b.took ?? 0) - (a.took ?? 0) || b.count - a.count).slice(0, MOST_ROWS);
