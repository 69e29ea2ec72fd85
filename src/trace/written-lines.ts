// The lines that a recording writes as it goes on.
import { checkpointLine, stepLine } from './file.js';
import { EVERY, type States } from './kept-states.js';
import { PackedStep, wholeSteps } from './packing.js';
import type { Redaction } from './redaction/redaction.js';
import type { Application, Step } from './step.js';
import type { Timeline } from './timeline.js';

/** What lines are made of. */
interface Recorded {
  readonly timeline: Timeline;
  readonly redaction: Redaction;
  readonly tip: States;
}

export class WrittenLines {
  /**
   * @param write gets each line; without it nothing is written
   * @param application what is recorded; of a history that came from a file, what the file says
   */
  constructor(
    private readonly recorded: Recorded,
    readonly write: ((line: string) => void) | undefined,
    public application: Application | undefined,
  ) {}

  /** Steps that are others now. */
  again(steps: readonly (Step | PackedStep)[]): void {
    if (this.write) for (const step of this.freed(steps)) this.write(stepLine(step, true));
  }

  /** A step that came last, and with each thousandth the states after it. */
  step(step: Step | PackedStep): void {
    if (!this.write) return;
    const [written] = this.freed([step]);
    this.write(stepLine(written));
    const { timeline, redaction, tip } = this.recorded;
    if (step.seq === timeline.line.lastSeq && step.seq > 0 && step.seq % EVERY === 0)
      this.write(checkpointLine(step.seq, redaction.freedStates(tip)));
  }

  /** The steps as they may leave the process. */
  *freed(steps: readonly (Step | PackedStep)[]): Iterable<Step> {
    const { redaction } = this.recorded;
    for (const step of wholeSteps(steps)) yield redaction.none ? step : redaction.freedStep(step);
  }
}
