// What is recorded of one runtime, and where its cursor is: the parts of a trace share it.
import { countOption, DEV, type Extensible, type StoreChange, timeTravel, type TimeTravel } from '../core/internal.js';
import { checkpointLine, interactionLine, stepLine, traceLines } from './file.js';
import { Interactions } from './interactions.js';
import { PackedStep, wholeSteps } from './packing.js';
import { Redaction } from './redaction.js';
import { StepMaking } from './step-making.js';
import type { Interaction, Step } from './step.js';
import type { GrowingSum } from './summing.js';
import { EVERY, Timeline, type Known, type States } from './timeline.js';
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
  /** How many steps of the line were folded since it began. */
  folds = 0;
  /** The group of the last step that was folded. */
  foldedGroup: number | undefined;
  revisions = 0;
  /** The position from which on steps are others than when the watchers were notified last. */
  private revised: number | undefined;
  private shownSteps: readonly Step[] | undefined;
  private readonly watchers = new Set<(from?: number) => void>();
  /** What the user did. */
  readonly did: Interactions;
  readonly limit: number;
  readonly write: ((line: string) => void) | undefined;
  readonly redaction: Redaction;
  readonly making: StepMaking;
  readonly travel: TimeTravel;

  constructor(
    readonly host: Extensible,
    { redact, limit, lines }: RecordingOptions,
  ) {
    this.travel = host.use(timeTravel);
    this.redaction = new Redaction(redact);
    this.making = new StepMaking(this.redaction);
    this.limit = Math.max(1, countOption('recording', 'limit', limit, DEFAULT_LIMIT));
    this.write = lines;
    this.did = new Interactions(this.limit, (done) => lines?.(interactionLine(done)));
    if (lines)
      for (const line of traceLines({ steps: [], redacted: this.redaction.places }, new Date(host.now()))) lines(line);
  }

  get steps(): readonly Step[] {
    return (this.shownSteps ??= DEV ? Object.freeze(this.timeline.line.slice()) : this.timeline.line.slice());
  }

  /** The number of the step that is shown; -1 before the first. */
  get cursor(): number {
    return this.timeline.line.seqAt(this.at) ?? -1;
  }

  get interactions(): readonly Interaction[] {
    const { redaction } = this;
    const all = this.did.list(this.timeline.nextSeq);
    return redaction.none ? all : all.map((one) => redaction.interaction(one));
  }

  /** The states at the cursor and at the live end, from which others are worked out. */
  get known(): Known[] {
    const known: Known[] = [{ index: this.timeline.line.length - 1, states: this.tip }];
    if (this.past) known.push({ index: this.at, states: this.past });
    if (this.timeline.folded === null) known.push({ index: -1, states: {} });
    return known;
  }

  statesAt(index: number): States {
    return this.timeline.statesAt(index, this.known);
  }

  /** Notes that the steps from an index on are others now; a step that is not on the line is none of them. */
  noteRevised(index: number): void {
    if (index < 0) return;
    this.revisions++;
    this.revised = Math.min(this.revised ?? Infinity, this.folds + index);
  }

  changed(): void {
    this.shownSteps = undefined;
    const from = this.revised;
    this.revised = undefined;
    if (this.watchers.size === 0) return;
    for (const watcher of [...this.watchers]) {
      try {
        watcher(from);
      } catch (error) {
        this.host.problem(error);
      }
    }
  }

  /** The sum is over: something else follows it, or its line is left. It becomes a step like any other, and is written. */
  endSum(): void {
    const { sum } = this;
    if (!sum) return;
    this.sum = undefined;
    this.timeline.replace(sum.now);
    this.timeline.keep(this.tip, sum.seq);
    if (this.write) this.writeStep(sum.now, false);
  }

  writeSteps(steps: readonly (Step | PackedStep)[], again = false): void {
    if (this.write) for (const step of steps) this.writeStep(step, again);
  }

  /** The steps as they may leave the process. */
  *freed(steps: readonly (Step | PackedStep)[]): Iterable<Step> {
    const { redaction } = this;
    for (const step of wholeSteps(steps)) yield redaction.none ? step : redaction.freedStep(step);
  }

  private writeStep(step: Step | PackedStep, again: boolean): void {
    const [written] = this.freed([step]);
    this.write!(stepLine(written, again));
    const isLast = !again && step.seq === this.timeline.line.lastSeq;
    if (isLast && step.seq > 0 && step.seq % EVERY === 0)
      this.write!(checkpointLine(step.seq, this.redaction.freedStates(this.tip)));
  }

  watch(listener: (from?: number) => void): () => void {
    this.watchers.add(listener);
    return () => this.watchers.delete(listener);
  }
}
