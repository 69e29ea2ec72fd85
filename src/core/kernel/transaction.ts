// A transaction that is under way: what it needs to commit or to roll back.
import type { AnyAction } from '../model/action.js';
import type { DeclaredTask } from '../model/triggers.js';
import type { Cell, CellChange } from './cell.js';
import type { Transition } from './transition.js';

/** An action that was applied, and what it changed; without an action a state that was stated. */
export interface Applied {
  readonly action: AnyAction | undefined;
  readonly changes: readonly Pick<CellChange, 'cell' | 'before' | 'after'>[];
  readonly transition: Transition | undefined;
}

/** An action, and the tasks that it starts. */
export interface Afterwards {
  readonly action: AnyAction;
  readonly tasks: readonly DeclaredTask[];
  readonly transition: Transition | undefined;
}

/** What features keep for when a transaction fails. */
export type Savepoint = ReadonlyMap<object, unknown>;

export class Transaction {
  /** What is recorded when the outermost transaction ends. */
  readonly transitions: Transition[] = [];
  /** The states that its commits replaced. */
  readonly before = new Map<Cell, unknown>();
  /** What was applied in it, and not rolled back since: should one of these be optimistic, all are kept. */
  readonly applied: Applied[] = [];
  /** Actions after which work starts, when the outermost transaction commits. */
  readonly after: Afterwards[] = [];

  constructor(
    /** The steps of one outermost transaction share it. */
    readonly number: number,
    public savepoint: Savepoint,
    /** The transaction around it. */
    readonly outer?: Transaction,
    /** What waits for the end of the outermost transaction, however it ends. */
    readonly later: (() => void)[] = [],
  ) {}

  /** Notes a state that a commit is about to replace. */
  note(cell: Cell, state: unknown): void {
    if (!this.before.has(cell)) this.before.set(cell, state);
  }

  /** An inner transaction has committed: it is part of this one. */
  take(inner: Transaction): void {
    // One by one: there may be more than a call takes arguments.
    for (const one of inner.transitions) this.transitions.push(one);
    for (const one of inner.applied) this.applied.push(one);
    for (const one of inner.after) this.after.push(one);
    for (const [cell, state] of inner.before) this.note(cell, state);
  }
}
