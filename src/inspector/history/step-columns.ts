// A few numbers a step, in columns: when it was, which stores it changed, how it ended, and which moment it belongs to.
import { OUTCOMES } from '../../core/internal.js';
import type { Step } from '../../trace/index.js';

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

/** Stands for no position, and for no moment. */
export const NONE = -1;

export class StepColumns {
  /** The position of the first step that the arrays hold. */
  base = 0;
  private readonly times: number[] = [];
  /** Bits of `Mark`, and the outcome above them. */
  private readonly marks: number[] = [];
  private readonly storeLists: number[] = [];
  private readonly momentOf: number[] = [];
  /** The position of the next step of the same moment. */
  private readonly next: number[] = [];
  private readonly lists: (readonly string[])[] = [];
  private readonly listIds = new Map<string, number>();
  /** The stores that steps changed, in the order in which they came. */
  readonly stores = new Set<string>();
  problems = 0;

  /** The position after the last step. */
  get end(): number {
    return this.base + this.times.length;
  }

  /** Adds the next step. @param marks bits of `Mark` */
  add({ time, stores, outcome }: Step, marks: number, moment: number): void {
    this.momentOf.push(moment);
    this.times.push(time);
    this.next.push(NONE);
    this.storeLists.push(this.listId(stores));
    this.marks.push(marks | (OUTCOMES.indexOf(outcome) << 8));
    if (marks & Mark.problem) this.problems++;
  }

  /** Forgets the oldest steps. */
  drop(count: number): void {
    for (const list of [this.times, this.marks, this.storeLists, this.momentOf, this.next]) list.splice(0, count);
    this.base += count;
  }

  /** The next step is that at a position: those before it were folded, and some of them never came here. */
  restart(position: number): void {
    this.drop(this.times.length);
    this.base = position;
  }

  /** Forgets the steps from a position on. Says whether there were any. */
  cut(from: number): boolean {
    const at = Math.max(0, from - this.base);
    if (at >= this.times.length && at > 0) return false;
    for (const list of [this.times, this.marks, this.storeLists, this.momentOf, this.next]) list.length = at;
    this.problems = 0;
    for (const mark of this.marks) if (mark & Mark.problem) this.problems++;
    return true;
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
  /** The position of the next step of the same moment. */
  nextOf(position: number): number {
    const next = this.next[position - this.base];
    return next === undefined ? NONE : next;
  }

  setNext(position: number, next: number): void {
    if (position >= this.base) this.next[position - this.base] = next;
  }

  /** The position of the first step whose time fits, where all after it fit, too. */
  firstWhere(holds: (time: number) => boolean): number {
    return this.base + firstIndex(this.times, holds);
  }
}

/** The index of the first item from which on a condition holds. */
export function firstIndex<T>(items: readonly T[], holds: (item: T) => boolean): number {
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
