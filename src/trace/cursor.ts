// Moves the cursor of a trace along its line, and onto another branch.
import { leaveLine } from '../core/internal.js';
import type { RunNote } from '../core/index.js';
import { presentLine } from './file.js';
import { wholeSteps } from './packing.js';
import { statesAt, type TraceState } from './state.js';

export class Cursor {
  /** @param fold folds the oldest steps, where there are more than the limit */
  constructor(
    private readonly state: TraceState,
    private readonly fold: () => void,
  ) {}

  seek(seq: number): void {
    this.moveTo(this.state.timeline.indexOf(seq));
  }

  private moveTo(wanted: number): void {
    const { line } = this.state.timeline;
    // What commits or rolls back together was never seen in part.
    const index = line.endOfGroup(wanted);
    if (index === this.state.at) return;
    const isLive = index === line.length - 1;
    const states = isLive ? this.state.tip : statesAt(this.state, index);
    const before = this.state.at;
    // What is open is asked for while the states are put in place: it is on the line up to here.
    this.state.at = index;
    try {
      this.state.travel.restore(this.state.redaction.states.reveal(states), isLive);
    } catch (error) {
      this.state.at = before;
      throw error;
    }
    this.state.past = isLive ? undefined : { ...states };
    this.state.early.clear();
    this.fold();
    this.state.changed();
  }

  back(): void {
    const present = this.changingAt(this.state.at, -1);
    const before = present === undefined ? -1 : this.state.timeline.line.startOfGroup(present) - 1;
    const target = this.changingAt(before, -1);
    if (target !== undefined) this.moveTo(target);
  }

  forward(): void {
    const target = this.changingAt(this.state.at + 1, 1);
    const next = target === undefined ? undefined : this.state.timeline.line.endOfGroup(target) + 1;
    if (next === undefined || this.changingAt(next, 1) === undefined) this.live();
    else this.moveTo(next - 1);
  }

  /** The first index, from one on and in one direction, of a step that changed state. */
  private changingAt(from: number, by: 1 | -1): number | undefined {
    const { line } = this.state.timeline;
    for (let i = from; i >= 0 && i < line.length; i += by) {
      const { changes, fact } = line.at(i)!;
      if (changes.length > 0 && fact !== 'summed') return i;
    }
    return undefined;
  }

  live(): void {
    this.moveTo(this.state.timeline.line.length - 1);
  }

  switchTo(branch: number): void {
    const { timeline } = this.state;
    this.state.endSum();
    const { common } = timeline.lineOf(branch);
    const last = timeline.line.seqAt(common) ?? -1;
    timeline.line.isLeft = true;
    try {
      // Runs that did not begin on it are cancelled while this line is still the live one.
      leaveLine(this.state.host, ({ step }) => step !== undefined && step <= last, 'branch');
      // What ended with the line is a part of that line.
      this.state.endSum();
    } finally {
      timeline.line.isLeft = false;
    }
    const from = statesAt(this.state, common);
    this.state.noteRevised(common + 1);
    timeline.goTo(branch);
    this.state.written.write?.(presentLine(timeline.branches.of(branch)));
    this.state.tip = { ...timeline.states.at(timeline.line.length - 1, [{ index: common, states: from }]) };
    this.show(timeline.line.length - 1);
    this.state.travel.arrived('branch', this.claimedRuns());
  }

  /** The runs that the line left under way. */
  claimedRuns(): RunNote[] {
    const claimed = new Map<number, RunNote>();
    for (const { fact, run } of wholeSteps(this.state.timeline.line.kept(0))) {
      if (fact === 'runStarted' && run) claimed.set(run.id, run);
      else if (fact === 'runEnded' && run) claimed.delete(run.id);
    }
    return [...claimed.values()];
  }

  /** Shows the live end, after it became another one. */
  show(index: number): void {
    const isLive = index === this.state.timeline.line.length - 1;
    const known = [{ index: this.state.timeline.line.length - 1, states: this.state.tip }];
    // A copy: where nothing lies between, these are the live states themselves, which go on.
    this.state.past = isLive ? undefined : { ...this.state.timeline.states.at(index, known) };
    this.state.at = index;
    this.state.early.clear();
    const live = this.state.redaction.states.reveal(this.state.tip);
    for (const name of Object.keys(live)) this.state.redaction.states.noteLive(name, live[name]);
    this.state.travel.restore(isLive ? live : this.state.redaction.states.reveal(this.state.past!), isLive, live);
    this.state.changed();
  }
}
