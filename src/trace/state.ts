// What is recorded of one runtime, and where its cursor is: the parts of a trace share it.
import {
  countOption,
  DEV,
  type Extensible,
  type StoreChange,
  timeTravel,
  type TimeTravel,
  Watchers,
} from '../core/internal.js';
import { traceLines, interactionLine } from './file.js';
import { Interactions } from './interactions.js';
import { Redaction } from './redaction/redaction.js';
import { StepMaking } from './step-making.js';
import type { Step } from './step.js';
import type { GrowingSum } from './summing.js';
import { WrittenLines } from './written-lines.js';
import { Timeline } from './timeline.js';
import type { Known, States } from './kept-states.js';
import type { RecordingOptions } from './trace.js';

const DEFAULT_LIMIT = 10_000;

export class TraceState {
  timeline = new Timeline();
  /** The index of the cursor on the line. */
  at = -1;
  /** The states at the live end, without secrets; edited in place. */
  tip: Record<string, unknown> = {};
  /** The states at the cursor, while it is in the past. */
  past: States | undefined;
  readonly excluded = new Set<number>();
  /** The step that sums up what is not listed, as long as nothing that is listed follows. */
  sum: GrowingSum | undefined;
  /** Stores that joined during the look at the past, as they began. */
  readonly early = new Map<string, StoreChange>();
  isPaused = false;
  revisions = 0;
  /** The position from which on steps are others than when the watchers were notified last. */
  private revised: number | undefined;
  private shownSteps: readonly Step[] | undefined;
  readonly watchers: Watchers<[from?: number]>;
  /** What the user did. */
  readonly did: Interactions;
  readonly limit: number;
  readonly written: WrittenLines;
  readonly redaction: Redaction;
  readonly making: StepMaking;
  readonly travel: TimeTravel;

  constructor(
    readonly host: Extensible,
    { redact, limit, lines, application }: RecordingOptions,
  ) {
    this.travel = host.features.use(timeTravel);
    this.redaction = new Redaction(redact);
    this.making = new StepMaking(this.redaction);
    this.limit = Math.max(1, countOption('recording', 'limit', limit, DEFAULT_LIMIT));
    this.written = new WrittenLines(this, lines, application);
    this.watchers = new Watchers((error) => host.problem(error));
    this.did = new Interactions(this.limit, (done) => lines?.(interactionLine(done)));
    if (lines)
      for (const line of traceLines(
        { steps: [], redacted: this.redaction.rules.places, application },
        new Date(host.now()),
      ))
        lines(line);
  }

  get steps(): readonly Step[] {
    return (this.shownSteps ??= DEV ? Object.freeze(this.timeline.line.slice()) : this.timeline.line.slice());
  }

  /** The number of the step that is shown; -1 before the first. */
  get cursor(): number {
    return this.timeline.line.seqAt(this.at) ?? -1;
  }

  /** The states at the cursor and at the live end, from which others are worked out. */
  get known(): Known[] {
    const known: Known[] = [{ index: this.timeline.line.length - 1, states: this.tip }];
    if (this.past) known.push({ index: this.at, states: this.past });
    if (this.timeline.folded === null) known.push({ index: -1, states: {} });
    return known;
  }

  /** Notes that the steps from an index on are others now; a step that is not on the line is none of them. */
  noteRevised(index: number): void {
    if (index < 0) return;
    this.revisions++;
    this.revised = Math.min(this.revised ?? Infinity, this.timeline.line.folds + index);
  }

  changed(): void {
    this.shownSteps = undefined;
    const from = this.revised;
    this.revised = undefined;
    this.watchers.tell(from);
  }

  /** The sum is over: something else follows it, or its line is left. It becomes a step like any other, and is written. */
  endSum(): void {
    const { sum } = this;
    if (!sum) return;
    this.sum = undefined;
    this.timeline.replace(sum.now);
    this.timeline.states.keep(this.tip, sum.seq);
    this.written.step(sum.now);
  }
}

/** The states after the step at an index of the line; before the first one, the index is -1. */
export const statesAt = ({ timeline, known }: TraceState, index: number): States => timeline.states.at(index, known);
