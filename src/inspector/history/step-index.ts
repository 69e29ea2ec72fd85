// What a link knows of each step without looking at it again: when it was, which stores it changed, how it ended, and which
// moment it belongs to. A moment is what one interaction led to, or one step without a recorded cause. The index follows the
// history step by step, and takes a few numbers a step.
import type { Interaction, Step } from '../../trace/index.js';
import { settledBy, type TraceSource } from '../../trace/internal.js';

/** What a step is, as bits. */
export const Mark = {
  /** It changes no state but that of tasks. */
  status: 1,
  /** It sums up actions that are not listed. */
  coalesced: 2,
  muted: 4,
  /** It failed, was refused, or broke a rule. */
  problem: 8,
  excluded: 16,
  /** The address of the page brought it about, or shows it. */
  address: 32,
} as const;
const QUIET = Mark.status | Mark.coalesced | Mark.muted;

export const isProblem = ({ outcome, problems, run }: Step): boolean =>
  outcome === 'failed' || outcome === 'refused' || (problems?.length ?? 0) > 0 || run?.phase === 'failed';

export interface RunSpan {
  readonly id: number;
  readonly task: string;
  /** Positions. The end is `undefined` while it is under way. */
  readonly start: number;
  end: number | undefined;
  phase: 'running' | 'done' | 'failed' | 'cancelled' | 'skipped';
  readonly retries: number[];
  readonly moment: number;
}

export interface MomentNote {
  /** Positions of its first and its last step; of one without steps, the position of the next step, and the one before. */
  first: number;
  last: number;
  steps: number;
  /** Epoch milliseconds. */
  readonly time: number;
  readonly by: 'user' | 'task' | 'code' | 'other';
  readonly interaction: Interaction | undefined;
}

export interface Settled {
  readonly position: number;
  readonly how: 'confirmed' | 'reverted';
}

const OUTCOMES = ['applied', 'unchanged', 'waiting', 'stopped', 'refused', 'failed', 'reverted'] as const;
const NONE = -1;

export class StepIndex {
  /** The position of the first step that the arrays hold. */
  private base = 0;
  private times: number[] = [];
  /** Bits of `Mark`, and the outcome above them. */
  private marks: number[] = [];
  private storeLists: number[] = [];
  private momentOf: number[] = [];
  /** The position of the next step of the same moment. */
  private next: number[] = [];
  private readonly lists: (readonly string[])[] = [];
  private readonly listIds = new Map<string, number>();
  /** The stores that steps changed, in the order in which they came. */
  readonly stores = new Set<string>();
  readonly moments: MomentNote[] = [];
  readonly runs = new Map<number, RunSpan>();
  /** Of optimistic actions, by position. */
  readonly settled = new Map<number, Settled>();
  private readonly byInteraction = new Map<number, number>();
  /** The number of the last interaction that was looked at: those without steps become moments too. */
  private lastInteraction = 0;
  readonly muted = new Set<string>();
  problems = 0;

  constructor(private readonly source: TraceSource) {}

  /** The position after the last step that is indexed. */
  get end(): number {
    return this.base + this.times.length;
  }
  get first(): number {
    return Math.max(this.base, this.source.first);
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
    if (this.end < source.first) this.restart(source.first);
    while (this.end < source.end) {
      this.add(this.end, source.at(this.end)!);
      if ((this.end & 255) === 0 && until()) return;
    }
    this.addEmpty(Infinity, this.end);
    if (source.first - this.base > 4096) this.drop(source.first - this.base);
  }

  private restart(position: number): void {
    this.cut(position);
    this.base = position;
  }

  /** Forgets what is known of folded steps. Numbers of moments stay. */
  private drop(count: number): void {
    for (const list of [this.times, this.marks, this.storeLists, this.momentOf, this.next]) list.splice(0, count);
    this.base += count;
  }

  /** The steps from a position on are others now. */
  cut(from: number): void {
    const at = Math.max(0, from - this.base);
    if (at >= this.times.length && at > 0) return;
    for (const list of [this.times, this.marks, this.storeLists, this.momentOf, this.next]) list.length = at;
    let gone = this.moments.length;
    for (let i = this.moments.length - 1; i >= 0; i--) {
      const moment = this.moments[i];
      if (moment.last < from && moment.first < from) continue;
      if (moment.first >= from) {
        if (gone === i + 1) gone = i;
        continue;
      }
      this.shorten(moment, from);
    }
    for (const { interaction } of this.moments.slice(gone)) {
      if (!interaction) continue;
      this.byInteraction.delete(interaction.id);
      this.lastInteraction = Math.min(this.lastInteraction, interaction.id - 1);
    }
    this.moments.length = gone;
    for (const [id, run] of this.runs) {
      if (run.start >= from) this.runs.delete(id);
      else if (run.end !== undefined && run.end >= from) {
        run.end = undefined;
        run.phase = 'running';
      }
    }
    for (const [position, settled] of this.settled)
      if (position >= from || settled.position >= from) this.settled.delete(position);
    this.problems = 0;
    for (const mark of this.marks) if (mark & Mark.problem) this.problems++;
  }

  private shorten(moment: MomentNote, from: number): void {
    moment.steps = 0;
    let last = NONE;
    for (let at = moment.first; at !== NONE && at < from; at = this.nextOf(at)) {
      moment.steps++;
      last = at;
    }
    moment.last = last === NONE ? moment.first - 1 : last;
    if (last >= this.base) this.next[last - this.base] = NONE;
  }

  private nextOf(position: number): number {
    const next = this.next[position - this.base];
    return next === undefined ? NONE : next;
  }

  private add(position: number, step: Step): void {
    const { stores, run, fact, outcome } = step;
    this.addEmpty(step.seq, position);
    this.times.push(step.time);
    this.next.push(NONE);
    this.storeLists.push(this.listId(stores));
    const marks = this.marksOf(step);
    this.marks.push(marks | (OUTCOMES.indexOf(outcome) << 8));
    if (marks & Mark.problem) this.problems++;
    const moment = this.momentFor(position, step, marks);
    this.momentOf.push(moment);
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
    else if (note.last >= this.base) this.next[note.last - this.base] = position;
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

  private marksOf(step: Step): number {
    const { stores, run, fact, excluded, cause, action } = step;
    let marks = 0;
    if (run !== undefined && stores.every(isStatusStore)) marks |= Mark.status;
    if (fact === 'summed') marks |= Mark.coalesced;
    if (this.muted.has(action?.type ?? run?.task ?? fact ?? '')) marks |= Mark.muted;
    if (isProblem(step)) marks |= Mark.problem;
    if (excluded) marks |= Mark.excluded;
    if (cause.by === 'address') marks |= Mark.address;
    return marks;
  }

  private momentFor(position: number, step: Step, marks: number): number {
    const { cause, about, group, seq, run } = step;
    const bySteps = this.momentAt(cause.step) ?? this.momentAt(about);
    if (bySteps !== undefined) return bySteps;
    const byRun = this.runs.get(cause.run ?? NONE) ?? (run && run.id > 0 ? this.runs.get(run.id) : undefined);
    if (byRun && byRun.moment !== NONE) return byRun.moment;
    if (group !== undefined && position > this.base) {
      const before = this.source.at(position - 1);
      if (before?.group === group) return this.momentOf[position - 1 - this.base];
    }
    const interaction = marks & Mark.coalesced ? undefined : this.interactionAt(seq);
    if (interaction) {
      const known = this.byInteraction.get(interaction.id);
      if (known !== undefined) return known;
      this.byInteraction.set(interaction.id, this.moments.length);
      return this.begin(position, interaction.time, 'user', interaction);
    }
    if (marks & (Mark.coalesced | Mark.muted)) return NONE;
    return this.begin(position, step.time, doer(step), undefined);
  }

  private begin(first: number, time: number, by: MomentNote['by'], interaction: Interaction | undefined): number {
    return this.moments.push({ first, last: first - 1, steps: 0, time, by, interaction }) - 1;
  }

  private momentAt(seq: number | undefined): number | undefined {
    if (seq === undefined) return undefined;
    const at = this.source.positionOf(seq) - this.base;
    const moment = at >= 0 && at < this.momentOf.length ? this.momentOf[at] : NONE;
    return moment === NONE ? undefined : moment;
  }

  /** The interaction during which a step was recorded. */
  private interactionAt(seq: number): Interaction | undefined {
    const all = this.source.interactions;
    const low = firstIndex(all, ({ from }) => from > seq);
    // Some that dispatched nothing may have begun before the same step.
    for (let i = low - 1; i >= 0 && all[i].from + Math.max(all[i].steps, 1) > seq; i--)
      if (all[i].steps > 0 && all[i].from + all[i].steps > seq) return all[i];
    return undefined;
  }

  /** Interactions that dispatched nothing are moments too. */
  private addEmpty(seq: number, position: number): void {
    const all = this.source.interactions;
    if (all.length === 0 || all[all.length - 1].id <= this.lastInteraction) return;
    const from = firstIndex(all, ({ id }) => id > this.lastInteraction);
    for (let i = from; i < all.length && all[i].from <= seq; i++) {
      const interaction = all[i];
      this.lastInteraction = interaction.id;
      if (interaction.steps > 0 || this.byInteraction.has(interaction.id)) continue;
      this.byInteraction.set(interaction.id, this.moments.length);
      this.begin(position, interaction.time, 'user', interaction);
    }
  }

  private listId(stores: readonly string[]): number {
    const key = stores.join('\n');
    let id = this.listIds.get(key);
    if (id === undefined) {
      this.listIds.set(key, (id = this.lists.push(stores) - 1));
      for (const name of stores) this.stores.add(name);
    }
    return id;
  }

  // ---- reading ----

  has(position: number): boolean {
    return position >= this.first && position < this.end;
  }
  time(position: number): number {
    return this.times[position - this.base];
  }
  marksAt(position: number): number {
    return this.marks[position - this.base] & 255;
  }
  isQuiet(position: number): boolean {
    return (this.marks[position - this.base] & QUIET) !== 0;
  }
  outcome(position: number): (typeof OUTCOMES)[number] {
    return OUTCOMES[this.marks[position - this.base] >> 8];
  }
  storesAt(position: number): readonly string[] {
    return this.lists[this.storeLists[position - this.base]];
  }
  /** The number of the moment of a step; -1 for one that belongs to none. */
  moment(position: number): number {
    return this.momentOf[position - this.base] ?? NONE;
  }
  /** The positions of the steps of a moment that are kept. */
  *stepsOf(moment: number): Iterable<number> {
    const note = this.moments[moment];
    if (!note || note.steps === 0) return;
    // Folded steps of a moment are no longer in the chain.
    let at = Math.max(note.first, this.base);
    if (at !== note.first) while (at <= note.last && this.moment(at) !== moment) at++;
    for (; at !== NONE && at <= note.last; at = this.nextOf(at)) if (at >= this.first) yield at;
  }

  /** The position of the first step at or after a time. */
  firstAt(time: number): number {
    return this.firstWhere((one) => one >= time);
  }
  /** The position of the first step after a time. */
  firstAfter(time: number): number {
    return this.firstWhere((one) => one > time);
  }

  private firstWhere(holds: (time: number) => boolean): number {
    return Math.max(this.first, this.base + firstIndex(this.times, holds));
  }

  /** The newest moment that a person began; where there is none, the newest one. */
  get newest(): number {
    const { moments } = this;
    for (let i = moments.length - 1; i >= 0; i--) if (moments[i].by === 'user') return i;
    return moments.length - 1;
  }
}

/** The index of the first item from which on a condition holds. */
function firstIndex<T>(items: readonly T[], holds: (item: T) => boolean): number {
  let low = 0;
  let high = items.length;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (holds(items[middle])) high = middle;
    else low = middle + 1;
  }
  return low;
}

/** Stores with the statuses of a task: names of other stores have no dot. */
export const isStatusStore = (name: string): boolean => name.endsWith('.status');

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
