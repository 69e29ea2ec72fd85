// A transaction that is under way: what it needs to commit or to roll back.
import type { Cell } from './cell.js';
import type { Transition } from './transition.js';

export class Transaction {
  /** What is recorded when the outermost transaction ends. */
  readonly transitions: Transition[] = [];
  /** The states that its commits replaced. */
  readonly before = new Map<Cell, unknown>();
  /** Work that starts when the outermost transaction commits. */
  readonly after: (() => void)[] = [];

  constructor(
    /** The steps of one outermost transaction share it. */
    readonly number: number,
    /** What waits for the end of the outermost transaction, however it ends. */
    readonly later: (() => void)[] = [],
  ) {}

  /** Notes a state that a commit is about to replace. */
  note(cell: Cell, state: unknown): void {
    if (!this.before.has(cell)) this.before.set(cell, state);
  }

  /** An inner transaction has committed: it is part of this one. */
  take(inner: Transaction): void {
    this.transitions.push(...inner.transitions);
    this.after.push(...inner.after);
    for (const [cell, state] of inner.before) this.note(cell, state);
  }
}
