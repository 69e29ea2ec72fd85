// Where two recordings, or two branches of one, part.
import { differenceOfStates, sameData } from '../core/internal.js';
import type { Patch } from '../core/index.js';
import { lineOf, traceOf, type GivenTrace } from './file-reading.js';
import type { Step } from './step.js';
import { patched, type States } from './kept-states.js';

/** How two lines of history compare. */
export interface Comparison {
  /** How many steps at the beginning are the same: the same thing happened, and did the same. */
  readonly same: number;
  /** The first steps that are not; one of them is missing where a line ends. Absent where both are the same to the end. */
  readonly parts?: {
    readonly a?: Step;
    readonly b?: Step;
    /** What is different: another thing happened, it became something else, it changed something else, or a line ends. */
    readonly why: 'event' | 'outcome' | 'changes' | 'end';
    /** The first place that the two steps changed differently. */
    readonly pointer?: string;
  };
  /** The patch that leads from the last state of the first to the last state of the second. */
  readonly changes: Patch;
}

interface LineWithStart {
  readonly steps: readonly Step[];
  /** The states before the first step. */
  readonly states: States;
}

export function compareLines(a: LineWithStart, b: LineWithStart): Comparison {
  let same = 0;
  let why: NonNullable<Comparison['parts']>['why'] | undefined;
  for (; ; same++) {
    const [one, other] = [a.steps[same] as Step | undefined, b.steps[same] as Step | undefined];
    if (one === other && one !== undefined) continue;
    if (one === undefined || other === undefined) {
      why = one === other ? undefined : 'end';
      break;
    }
    why = whatDiffers(one, other);
    if (why) break;
  }
  const [statesOfA, statesOfB] = [atEnd(a), atEnd(b)];
  const { changes } = differenceOfStates(statesOfA, statesOfB);
  if (!why) return { same, changes };
  const [stepOfA, stepOfB] = [a.steps[same] as Step | undefined, b.steps[same] as Step | undefined];
  const pointer = why === 'changes' ? firstPlace(stepOfA!.changes, stepOfB!.changes) : undefined;
  return {
    same,
    parts: {
      ...(stepOfA && { a: stepOfA }),
      ...(stepOfB && { b: stepOfB }),
      why,
      ...(pointer !== undefined && { pointer }),
    },
    changes,
  };
}

const atEnd = ({ steps, states }: LineWithStart): States => patched(states, steps);

function whatDiffers(a: Step, b: Step): 'event' | 'outcome' | 'changes' | undefined {
  const event = ({ kind, fact, action, run, excluded }: Step): unknown => ({
    kind,
    fact,
    action,
    excluded,
    run: run && { task: run.task, args: run.args, phase: run.phase },
  });
  if (!sameData(event(a), event(b))) return 'event';
  if (a.outcome !== b.outcome) return 'outcome';
  return sameData(a.changes, b.changes) ? undefined : 'changes';
}

function firstPlace(a: Patch, b: Patch): string {
  const at = a.findIndex((operation, i) => !sameData(operation, b[i]));
  return (a[at] ?? b[a.length]).path;
}

/**
 * Finds where two recordings part: the same beginning, then the first step that is another one, or did something else.
 * Times and numbers of steps do not count.
 * @param a a trace file: its text, its lines, or what `readTrace` gave
 * @throws FLOE_NOT_A_TRACE, FLOE_TRACE_DAMAGED, FLOE_TRACE_TOO_NEW
 * @example
 * const { same, parts } = compareTraces(before, after);
 * console.log(`the first ${same} steps are the same, then ${parts?.why ?? 'nothing'} differs`);
 */
export const compareTraces = (a: GivenTrace, b: GivenTrace): Comparison => compareLines(startOf(a), startOf(b));

function startOf(given: GivenTrace): LineWithStart {
  const file = traceOf(given);
  return { steps: lineOf(file), states: file.states };
}
