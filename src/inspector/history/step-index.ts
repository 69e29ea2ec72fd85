// What a link knows of a history without looking at its steps again: a few numbers of each, its moments, runs and optimistic
// actions. The index follows the history step by step.
import type { Step } from '../../trace/index.js';
import { settledBy, type TraceSource } from '../../trace/internal.js';
import { MomentNotes, type MomentNote } from './moment-notes.js';
import { firstIndex, isProblem, isStatusStore, Mark, NONE, StepColumns } from './step-columns.js';

export interface RunSpan {
  readonly id: number;
  readonly task: string;
  /** Positions. The end is `undefined` while it is under way. */
  readonly start: number;
  end: number | undefined;
  /** `left`: it has no end in this branch. */
  phase: 'running' | 'done' | 'failed' | 'cancelled' | 'skipped' | 'left';
  readonly retries: number[];
  readonly moment: number;
}

interface Settled {
  readonly position: number;
  readonly how: 'confirmed' | 'reverted';
}

export class StepIndex {
  /** What is known of each step, by position. */
  readonly steps = new StepColumns();
  readonly notes: MomentNotes;
  readonly moments: readonly MomentNote[];
  readonly runs = new Map<number, RunSpan>();
  /** Of optimistic actions, by position. */
  readonly settled = new Map<number, Settled>();
  readonly muted = new Set<string>();

  constructor(private readonly source: TraceSource) {
    this.notes = new MomentNotes(source);
    this.moments = this.notes.list;
  }

  /** The position after the last step that is indexed. */
  get end(): number {
    return this.steps.end;
  }
  get first(): number {
    return Math.max(this.steps.base, this.source.first);
  }
  get isComplete(): boolean {
    return this.end >= this.source.end;
  }

  // ---- following ----

  /**
   * Reads steps that are new.
   * @param until called now and then; `true` ends the reading for now
   */
  scan(until: () => boolean = () => false): void {
    const { source } = this;
    if (this.end < source.first) this.steps.restart(source.first);
    while (this.end < source.end) {
      this.add(this.end, source.at(this.end)!);
      if ((this.end & 255) === 0 && until()) return;
    }
    this.notes.addEmpty(Infinity, this.end);
    // What is known of folded steps is forgotten; numbers of moments stay.
    if (source.first - this.steps.base > 4096) this.forget(source.first);
  }

  /** The steps before a position are folded. */
  private forget(before: number): void {
    this.steps.drop(before - this.steps.base);
    this.notes.forget(before);
    for (const [id, { end }] of this.runs) if (end !== undefined && end < before) this.runs.delete(id);
    for (const [position, by] of this.settled)
      if (position < before && by.position < before) this.settled.delete(position);
  }

  /** The steps from a position on are others now. */
  cut(from: number): void {
    if (!this.steps.cut(from)) return;
    this.notes.cut(from, (moment) => this.shorten(moment, from));
    for (const [id, run] of this.runs) {
      if (run.start >= from) this.runs.delete(id);
      else if (run.end !== undefined && run.end >= from) {
        run.end = undefined;
        // Where the steps are computed again, its end comes again.
        run.phase = 'left';
      }
    }
    for (const [position, settled] of this.settled)
      if (position >= from || settled.position >= from) this.settled.delete(position);
  }

  private shorten(moment: MomentNote, from: number): void {
    moment.steps = 0;
    let last = NONE;
    for (let at = moment.first; at !== NONE && at < from; at = this.steps.nextOf(at)) {
      moment.steps++;
      last = at;
    }
    moment.last = last === NONE ? moment.first - 1 : last;
    if (last !== NONE) this.steps.setNext(last, NONE);
  }

  private add(position: number, step: Step): void {
    const { run, fact } = step;
    this.notes.addEmpty(step.seq, position);
    const marks = marksOf(step, this.muted);
    const moment = this.momentFor(position, step, marks);
    this.steps.add(step, marks, moment);
    if (moment !== NONE) this.join(moment, position);
    if (run && run.id > 0) this.noteRun(position, step, moment);
    if (fact !== 'confirmed' && fact !== 'reverted') return;
    for (const seq of settledBy(step)) {
      const of = this.source.positionOf(seq);
      if (of >= 0) this.settled.set(of, { position, how: fact });
    }
  }

  private join(moment: number, position: number): void {
    const note = this.moments[moment];
    if (note.steps === 0) note.first = position;
    else this.steps.setNext(note.last, position);
    note.last = position;
    note.steps++;
  }

  private noteRun(position: number, { run, fact }: Step, moment: number): void {
    const { id, task, phase } = run!;
    const known = this.runs.get(id);
    if (fact === 'runStarted' || !known)
      this.runs.set(id, {
        ...{ id, task, start: position, end: fact === 'runEnded' ? position : undefined },
        ...{ phase: fact === 'runStarted' ? 'running' : phase, retries: [], moment },
      });
    else if (fact === 'runRetried') known.retries.push(position);
    else {
      known.end = position;
      known.phase = phase;
    }
  }

  private momentFor(position: number, step: Step, marks: number): number {
    const { cause, about, group, seq, run } = step;
    const bySteps = this.momentAt(cause.step) ?? this.momentAt(about);
    if (bySteps !== undefined) return bySteps;
    const byRun = this.runs.get(cause.run ?? NONE) ?? (run && run.id > 0 ? this.runs.get(run.id) : undefined);
    if (byRun && byRun.moment !== NONE) return byRun.moment;
    if (group !== undefined && position > this.steps.base) {
      const before = this.source.at(position - 1);
      if (before?.group === group) return this.steps.moment(position - 1);
    }
    const interaction = marks & Mark.coalesced ? undefined : this.notes.interactionAt(seq);
    if (interaction) return this.notes.ofInteraction(interaction, position);
    if (marks & (Mark.coalesced | Mark.muted)) return NONE;
    return this.notes.begin(position, doer(step), step.time);
  }

  private momentAt(seq: number | undefined): number | undefined {
    if (seq === undefined) return undefined;
    const moment = this.steps.moment(this.source.positionOf(seq));
    return moment === NONE ? undefined : moment;
  }

  // ---- reading ----

  has(position: number): boolean {
    return position >= this.first && position < this.end;
  }
  /** The number of the first moment of which something is kept. */
  get firstMoment(): number {
    return firstIndex(this.moments, ({ first, last }) => Math.max(first, last) >= this.first);
  }
  /** The positions of the steps of a moment that are kept. */
  *stepsOf(moment: number): Iterable<number> {
    const note = this.moments[moment] as MomentNote | undefined;
    if (!note || note.steps === 0) return;
    // Folded steps of a moment are no longer in the chain.
    let at = Math.max(note.first, this.steps.base);
    if (at !== note.first) while (at <= note.last && this.steps.moment(at) !== moment) at++;
    for (; at !== NONE && at <= note.last; at = this.steps.nextOf(at)) if (at >= this.first) yield at;
  }

  /** The position of the first step at or after a time. */
  firstAt(time: number): number {
    return Math.max(
      this.first,
      this.steps.firstWhere((one) => one >= time),
    );
  }
  /** The position of the first step after a time. */
  firstAfter(time: number): number {
    return Math.max(
      this.first,
      this.steps.firstWhere((one) => one > time),
    );
  }
}

function doer({ cause: { by } }: Step): MomentNote['by'] {
  switch (by) {
    case 'address':
    case 'inspector':
      return 'user';
    case 'task':
      return 'task';
    case 'code':
      return 'code';
    default:
      return 'other';
  }
}

function marksOf(step: Step, muted: ReadonlySet<string>): number {
  const { stores, run, fact, excluded, cause, action } = step;
  let marks = 0;
  if (run !== undefined && stores.every(isStatusStore)) marks |= Mark.status;
  if (fact === 'summed') marks |= Mark.coalesced;
  if (muted.has(action?.type ?? run?.task ?? fact ?? '')) marks |= Mark.muted;
  if (isProblem(step)) marks |= Mark.problem;
  if (excluded) marks |= Mark.excluded;
  if (cause.by === 'address') marks |= Mark.address;
  return marks;
}
