// The branches of a trace: their names, where each begins, and its last step.
import { noSuchBranch } from './errors.js';
import type { PackedStep } from './packing.js';
import type { Branch, Step } from './step.js';
import type { GrowingSum } from './summing.js';

interface BranchNote {
  readonly id: number;
  name: string;
  readonly from: number | null;
  tip: number;
  /** When it was left: the higher, the later. */
  left: number;
}

export class Branches {
  private readonly notes = new Map<number, BranchNote>();
  /** The highest number of a branch, also of those that are gone. */
  last = 0;
  private lefts = 0;
  /** The branch of the newest step: mostly the next one's too. */
  private newest: BranchNote | undefined;

  get count(): number {
    return this.notes.size;
  }

  has(id: number): boolean {
    return this.notes.has(id);
  }

  find(id: number): Branch | undefined {
    return this.notes.get(id);
  }

  get list(): Branch[] {
    return Array.from(this.notes.values(), ({ id, name, from, tip }) => ({ id, name, from, tip }));
  }

  /** Those that have a name. */
  get named(): Branch[] {
    return this.list.filter(({ id, name }) => name !== usualName(id));
  }

  /** The longest left first. */
  get byLeaving(): readonly BranchNote[] {
    return [...this.notes.values()].sort((a, b) => a.left - b.left);
  }

  /** @throws FLOE_NO_SUCH_BRANCH */
  of(id: number): BranchNote {
    const note = this.notes.get(id);
    if (!note) throw noSuchBranch(id, [...this.notes.keys()]);
    return note;
  }

  /** A branch goes on with a step. */
  note({ seq, branch, after }: Step | PackedStep | GrowingSum): void {
    let note = this.newest?.id === branch ? this.newest : this.notes.get(branch);
    note ??= this.begin(branch, after);
    note.tip = seq;
    this.newest = note;
  }

  /** A branch that has no steps yet. */
  begin(id: number, from: number | null): BranchNote {
    const note = { id, name: usualName(id), from, tip: from ?? -1, left: 0 };
    this.notes.set(id, note);
    if (id > this.last) this.last = id;
    return note;
  }

  rename(id: number, name: string): void {
    this.of(id).name = name;
  }

  leave(id: number): void {
    const note = this.notes.get(id);
    if (note) note.left = ++this.lefts;
  }

  drop(id: number): void {
    this.notes.delete(id);
    this.newest = undefined;
  }
}

/** The name of a branch that the user gave none. */
export const usualName = (branch: number): string => (branch === 0 ? 'first' : `branch ${branch}`);
