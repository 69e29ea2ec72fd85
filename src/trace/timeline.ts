// All steps that are kept: the present line, what lies on other branches, and the states along the line.
import { applyPatch } from '../core/index.js';
import { noSuchBranch, noSuchStep, stepDamaged, stepFolded } from './errors.js';
import { Line, upTo } from './line.js';
import { whole, type PackedStep } from './packing.js';
import type { GrowingSum } from './summing.js';
import type { Branch, Step } from './step.js';

/** A state tree: the state of every store under its name. */
export type States = Readonly<Record<string, unknown>>;

/** The states after a step of the line; before the first one, the index is -1. */
export interface Known {
  readonly index: number;
  readonly states: States;
}

/** Every so many steps the states are kept, so that no other is further away than half of that; files have them too. */
export const EVERY = 1000;

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

interface BranchNote {
  name: string;
  readonly from: number | null;
  tip: number;
  /** When it was left: the higher, the later. */
  left: number;
}

export class Timeline {
  line = new Line();
  /** The branch that the line ends on. */
  branch = 0;
  nextSeq = 0;
  /** The last step that was folded away, if any was. */
  folded: number | null = null;
  /** The steps that are not on the line. */
  private readonly aside = new Map<number, Step>();
  private readonly notes = new Map<number, BranchNote>();
  /** The highest number of a branch, also of those that are gone. */
  private lastBranch = 0;
  private lefts = 0;
  /** The branch of the newest step: mostly the next one's too. */
  private newest: { readonly branch: number; readonly note: BranchNote | undefined } = { branch: -1, note: undefined };
  /** States after some steps, by number, oldest first; also of steps that are not on the line now. */
  private kept: { readonly seq: number; readonly states: States }[] = [];

  // ---- steps ----

  /** Adds a step at the end of the line. */
  append(step: Step | PackedStep | GrowingSum): void {
    this.line.push(step);
    this.note(step);
  }

  private note({ seq, branch, after }: Step | PackedStep | GrowingSum): void {
    if (seq >= this.nextSeq) this.nextSeq = seq + 1;
    let note = this.newest.branch === branch ? this.newest.note : this.notes.get(branch);
    if (note) note.tip = seq;
    else this.notes.set(branch, (note = { name: usualName(branch), from: after, tip: seq, left: 0 }));
    if (branch > this.lastBranch) this.lastBranch = branch;
    if (this.newest.note !== note) this.newest = { branch, note };
  }

  /** Takes steps as a file has them, and goes to the branch that it shows. */
  load({ steps, folded, begun, present }: RecordedLines): void {
    for (const step of steps) {
      this.aside.set(step.seq, step);
      this.note(step);
    }
    this.folded = folded;
    for (const { id, from } of begun) this.begin(id, from);
    if (this.notes.has(present)) this.goTo(present);
  }

  /** A branch that has no steps yet. */
  begin(id: number, from: number | null): void {
    this.notes.set(id, { name: usualName(id), from, tip: from ?? -1, left: 0 });
    if (id > this.lastBranch) this.lastBranch = id;
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

  get branches(): Branch[] {
    return Array.from(this.notes, ([id, { name, from, tip }]) => ({ id, name, from, tip }));
  }

  /** The branch that the line ends on. */
  get present(): Branch | undefined {
    return this.branches.find(({ id }) => id === this.branch);
  }

  /** The branches that have a name. */
  get named(): Branch[] {
    return this.branches.filter(({ id, name }) => name !== usualName(id));
  }

  rename(id: number, name: string): void {
    this.noteOf(id).name = name;
  }

  private noteOf(id: number): BranchNote {
    const note = this.notes.get(id);
    if (!note) throw noSuchBranch(id, [...this.notes.keys()]);
    return note;
  }

  /** Begins a branch after the step at an index: what comes after it is put aside. */
  fork(index: number): void {
    this.putAside(index + 1);
    this.branch = this.lastBranch + 1;
    this.begin(this.branch, this.line.lastSeq ?? this.folded);
  }

  private putAside(from: number): void {
    const steps = this.line.cut(from);
    for (const step of steps) this.aside.set(step.seq, step);
    const note = this.notes.get(this.branch);
    if (note && steps.length > 0) note.left = ++this.lefts;
  }

  /** The steps of a branch, from where it leaves the present line; `common` is the index of the last step of both. */
  lineOf(id: number): { readonly common: number; readonly steps: Step[] } {
    const steps: Step[] = [];
    let at: number | null = this.noteOf(id).tip;
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
    this.kept = this.kept.filter((one) => one.seq >= seq);
    if (this.notes.size > 1) this.dropUnreachable(seq);
  }

  /**
   * Drops whole branches without a name, the longest left first, until no more than so many steps are left; what others
   * still go through stays.
   * @returns the numbers of the steps that are gone
   */
  dropBranches(most: number): readonly number[] {
    if (this.aside.size === 0) return [];
    const left = [...this.notes]
      .filter(([id, { tip }]) => id !== this.branch && this.aside.has(tip))
      .sort(([, a], [, b]) => a.left - b.left);
    /** How many branches go through a step. */
    const through = new Map<number, number>();
    for (const [, { tip }] of left) for (const seq of this.wayFrom(tip)) through.set(seq, (through.get(seq) ?? 0) + 1);
    const gone: number[] = [];
    for (const [id, { name, tip }] of left) {
      if (this.size <= most) break;
      if (name !== usualName(id)) continue;
      for (const seq of [...this.wayFrom(tip)]) {
        const others = through.get(seq)! - 1;
        through.set(seq, others);
        if (others > 0) continue;
        this.aside.delete(seq);
        gone.push(seq);
      }
      this.notes.delete(id);
    }
    if (gone.length > 0) {
      this.newest = { branch: -1, note: undefined };
      const lost = new Set(gone);
      this.kept = this.kept.filter((one) => !lost.has(one.seq));
    }
    return gone;
  }

  /** The steps beside the line that lead to one, from it on back. */
  private *wayFrom(tip: number): Iterable<number> {
    for (let step = this.aside.get(tip); step; step = step.after === null ? undefined : this.aside.get(step.after))
      yield step.seq;
  }

  private dropUnreachable(folded: number): void {
    this.newest = { branch: -1, note: undefined };
    for (const [id, { tip }] of this.notes) {
      if (id === this.branch || this.line.indexOf(tip) >= 0) continue;
      let at: Step | undefined = this.aside.get(tip);
      while (at && at.after !== folded && at.after !== null && this.line.indexOf(at.after) < 0)
        at = this.aside.get(at.after);
      if (at && at.after !== null) continue;
      this.notes.delete(id);
    }
    const reachable = new Set<number>();
    for (const id of this.notes.keys()) for (const { seq } of this.lineOf(id).steps) reachable.add(seq);
    for (const seq of this.aside.keys()) if (!reachable.has(seq)) this.aside.delete(seq);
  }

  // ---- states ----

  /** Keeps the states after a step of the line, the last one if not told, now and then; with `always`, after each. */
  keep(states: States, seq = this.line.lastSeq ?? 0, always = false): void {
    if (!always && (seq % EVERY > 0 || seq === 0)) return;
    // The last step may have become another one: a sum grows.
    if (this.kept.at(-1)?.seq === seq) this.kept.pop();
    this.kept.push({ seq, states: { ...states } });
  }

  /** Drops the kept states from the step at an index on, which are others now. */
  forgetFrom(index: number): void {
    const seq = this.line.seqAt(index) ?? Infinity;
    this.kept = this.kept.filter((one) => one.seq < seq);
  }

  /** The states after the step at an index, worked out from the nearest that are known. */
  statesAt(index: number, known: readonly Known[]): States {
    let nearest = known[0];
    const look = (one: Known): void => {
      if (Math.abs(one.index - index) < Math.abs(nearest.index - index)) nearest = one;
    };
    for (const one of known) look(one);
    for (const one of this.keptAround(index)) look(one);
    return this.lead(nearest, index);
  }

  private *keptAround(index: number): Iterable<Known> {
    const next = upTo(this.kept, this.line.seqAt(index) ?? -1);
    for (const one of this.kept.slice(Math.max(0, next - 1), next + 1)) {
      const at = this.line.indexOf(one.seq);
      if (at >= 0) yield { index: at, states: one.states };
    }
  }

  private lead({ index: from, states }: Known, to: number): States {
    return to < from
      ? patched(states, this.line.slice(to + 1, from + 1).reverse(), 'undo')
      : patched(states, this.line.slice(from + 1, to + 1));
  }

  /** The states after the last step of a line that came from a file; those on the way are kept now and then. */
  replayed(start: States): States {
    let states = start;
    let steps: Step[] = [];
    for (let i = 0; i < this.line.length; i++) {
      const step = this.line.at(i)!;
      steps.push(step);
      if (step.seq % EVERY > 0 && i < this.line.length - 1) continue;
      states = patched(states, steps);
      steps = [];
      this.keep(states, step.seq);
    }
    return states;
  }
}

/**
 * The states after some steps, or before them. All patches are applied as one: what several of them change is copied once.
 * @param steps in the order in which the states lead through them
 * @throws FLOE_TRACE_DAMAGED with the first step whose patch does not fit
 */
export function patched(states: States, steps: readonly Step[], way: 'changes' | 'undo' = 'changes'): States {
  const all = steps.length === 1 ? steps[0][way] : steps.flatMap((step) => step[way]);
  if (all.length === 0) return states;
  try {
    return applyPatch(states, all);
  } catch {
    let before = states;
    for (const step of steps) {
      try {
        before = applyPatch(before, step[way]);
      } catch (cause) {
        throw stepDamaged(step.seq, way, cause);
      }
    }
    return before;
  }
}

/** The name of a branch that the user gave none. */
export const usualName = (branch: number): string => (branch === 0 ? 'first' : `branch ${branch}`);
