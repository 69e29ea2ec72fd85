// All steps that are kept: the present line, what lies on other branches, and the states along the line.
import { noSuchStep, stepFolded } from './errors.js';
import { Branches, usualName } from './branches.js';
import { KeptStates } from './kept-states.js';
import { Line } from './line.js';
import { whole, type PackedStep } from './packing.js';
import type { GrowingSum } from './summing.js';
import type { Step } from './step.js';

/** The steps of all branches, as a file has them. */
export interface RecordedLines {
  /** In the order in which they happened. */
  readonly steps: readonly Step[];
  /** The last step that was no longer kept when the file was written; `null` where it holds all. */
  readonly folded: number | null;
  /** The branch that is shown. */
  readonly present: number;
  /** Branches without steps, and the step after which each begins. */
  readonly begun: readonly { readonly id: number; readonly from: number | null }[];
}

export class Timeline {
  readonly line = new Line();
  readonly states = new KeptStates(this.line);
  readonly branches = new Branches();
  /** The branch that the line ends on. */
  branch = 0;
  nextSeq = 0;
  /** The last step that was folded away, if any was. */
  folded: number | null = null;
  /** The steps that are not on the line. */
  private readonly aside = new Map<number, Step>();

  // ---- steps ----

  /** Adds a step at the end of the line. */
  append(step: Step | PackedStep | GrowingSum): void {
    this.line.push(step);
    this.note(step);
  }

  private note(step: Step | PackedStep | GrowingSum): void {
    if (step.seq >= this.nextSeq) this.nextSeq = step.seq + 1;
    this.branches.note(step);
  }

  /** Takes steps as a file has them, and goes to the branch that it shows. */
  load({ steps, folded, begun, present }: RecordedLines): void {
    for (const step of steps) {
      this.aside.set(step.seq, step);
      this.note(step);
    }
    this.folded = folded;
    for (const { id, from } of begun) this.branches.begin(id, from);
    if (this.branches.has(present)) this.goTo(present);
  }

  /** Takes a step that follows another one than the last, and goes to its line. Gives the index from which that is another. */
  take(step: Step): number {
    this.aside.set(step.seq, step);
    this.note(step);
    return this.goTo(step.branch) + 1;
  }

  /** Puts a step in the place of the one with its number. */
  replace(step: Step | PackedStep): void {
    const index = this.line.indexOf(step.seq);
    if (index >= 0) this.line.set(index, step);
    else this.aside.set(step.seq, whole(step));
  }

  step(seq: number | undefined): Step | undefined {
    if (seq === undefined) return undefined;
    return this.line.at(this.line.indexOf(seq)) ?? this.aside.get(seq);
  }

  /** A step of any branch; one that is kept small stays so. */
  peek(seq: number): Step | undefined {
    return this.line.peek(this.line.indexOf(seq)) ?? this.aside.get(seq);
  }

  /** The index on the line of a step that must be there. */
  indexOf(seq: number): number {
    const index = this.line.indexOf(seq);
    if (index >= 0) return index;
    const { firstSeq = 0, lastSeq = 0 } = this.line;
    if (this.folded !== null && seq <= this.folded && seq >= 0) throw stepFolded(seq, firstSeq);
    throw noSuchStep(seq, firstSeq, lastSeq);
  }

  /** All steps of all branches, in the order in which they happened, as they are kept. */
  all(): (Step | PackedStep)[] {
    const line = this.line.kept(0);
    return this.aside.size === 0 ? line : [...line, ...this.aside.values()].sort((a, b) => a.seq - b.seq);
  }

  /** The steps that are not on the line, in chains: each begins where it left another one. */
  chainsAside(): Step[][] {
    const chains = new Map<number, Step[]>();
    for (const step of [...this.aside.values()].sort((a, b) => a.seq - b.seq)) {
      const chain = chains.get(step.branch);
      if (chain) chain.push(step);
      else chains.set(step.branch, [step]);
    }
    return [...chains.values()];
  }

  // ---- branches ----

  /** Begins a branch after the step at an index: what comes after it is put aside. */
  fork(index: number): void {
    this.putAside(index + 1);
    this.branch = this.branches.last + 1;
    this.branches.begin(this.branch, this.line.lastSeq ?? this.folded);
  }

  private putAside(from: number): void {
    const steps = this.line.cut(from);
    for (const step of steps) this.aside.set(step.seq, step);
    if (steps.length > 0) this.branches.leave(this.branch);
  }

  /** The steps of a branch, from where it leaves the present line; `common` is the index of the last step of both. */
  lineOf(id: number): { readonly common: number; readonly steps: Step[] } {
    const steps: Step[] = [];
    let at: number | null = this.branches.of(id).tip;
    let common = -1;
    while (at !== null) {
      common = this.line.indexOf(at);
      if (common >= 0) break;
      const step: Step | undefined = this.aside.get(at);
      if (!step) break;
      steps.push(step);
      at = step.after;
    }
    return { common, steps: steps.reverse() };
  }

  /** Makes the line of a branch the present one. Gives the index of the last step that both have. */
  goTo(id: number): number {
    const { common, steps } = this.lineOf(id);
    this.putAside(common + 1);
    for (const step of steps) {
      this.aside.delete(step.seq);
      this.line.push(step);
    }
    this.branch = id;
    return common;
  }

  // ---- folding ----

  /** How many steps there are, on all branches. */
  get size(): number {
    return this.line.length + this.aside.size;
  }

  /** Takes some of the oldest steps away; branches that left before them go with them. */
  fold(count: number): void {
    if (count === 0) return;
    let seq = 0;
    for (let i = 0; i < count; i++) seq = this.line.shift();
    this.folded = seq;
    this.states.drop((one) => one < seq);
    if (this.branches.count > 1) this.dropUnreachable(seq);
  }

  /**
   * Drops whole branches without a name, the longest left first, until no more than so many steps are left; what others
   * still go through stays.
   * @returns the numbers of the steps that are gone
   */
  dropBranches(most: number): readonly number[] {
    if (this.aside.size === 0) return [];
    const left = this.branches.byLeaving.filter(({ id, tip }) => id !== this.branch && this.aside.has(tip));
    /** How many branches go through a step. */
    const through = new Map<number, number>();
    for (const { tip } of left)
      for (const seq of wayBack(this.aside, tip)) through.set(seq, (through.get(seq) ?? 0) + 1);
    const gone: number[] = [];
    for (const { id, name, tip } of left) {
      if (this.size <= most) break;
      if (name !== usualName(id)) continue;
      for (const seq of [...wayBack(this.aside, tip)]) {
        const others = through.get(seq)! - 1;
        through.set(seq, others);
        if (others > 0) continue;
        this.aside.delete(seq);
        gone.push(seq);
      }
      this.branches.drop(id);
    }
    if (gone.length > 0) {
      const lost = new Set(gone);
      this.states.drop((seq) => lost.has(seq));
    }
    return gone;
  }

  private dropUnreachable(folded: number): void {
    for (const { id, tip } of this.branches.list) {
      if (id === this.branch || this.line.indexOf(tip) >= 0) continue;
      let at: Step | undefined = this.aside.get(tip);
      while (at && at.after !== folded && at.after !== null && this.line.indexOf(at.after) < 0)
        at = this.aside.get(at.after);
      if (at && at.after !== null) continue;
      this.branches.drop(id);
    }
    const reachable = new Set<number>();
    for (const { id } of this.branches.list) for (const { seq } of this.lineOf(id).steps) reachable.add(seq);
    for (const seq of this.aside.keys()) if (!reachable.has(seq)) this.aside.delete(seq);
  }
}

/** The numbers of the steps that lead to one, from it on back. */
function* wayBack(steps: ReadonlyMap<number, Step>, tip: number): Iterable<number> {
  for (let step = steps.get(tip); step; step = step.after === null ? undefined : steps.get(step.after)) yield step.seq;
}
