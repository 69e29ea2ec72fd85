// What a feature does when something happens in the runtime.
import type { FloeError } from '../base/errors.js';
import type { AnyAction } from '../model/action.js';
import type { DeclaredTask } from '../model/triggers.js';
import type { Cell, CellChange } from './cell.js';
import type { Applied } from './transaction.js';
import type { RunNote, Transition } from './transition.js';

/** How an optimistic action is settled. */
export type SettleHow = 'confirmed' | 'reverted';

/** How many runs of a task are under way, and how many under each status key. */
export interface Running {
  readonly count: number;
  readonly keys: ReadonlyMap<string, number>;
}

/** An optimistic action that was applied. */
interface PendingEntry {
  /** Neither confirmed nor reverted. */
  readonly open: boolean;
}

/** How an action of a run is applied. */
export interface Applying {
  /** Why it can no longer be applied, if it cannot. */
  readonly stopped?: () => string | undefined;
  /** What an optimistic action needs. */
  readonly feature?: object | undefined;
  /** Called with the entry that an optimistic action became, and then when it is applied. */
  readonly optimistic?: { became(entry: PendingEntry): void; applied(): void } | undefined;
}

/** States that were computed once more, and what could not be. */
export interface Rebased {
  readonly states: ReadonlyMap<Cell, unknown>;
  /** What could not be computed again, with the action that it was. Default: none. */
  readonly problems?: (cause: string) => readonly {
    readonly error: FloeError;
    readonly of: Partial<Pick<Transition, 'action' | 'step'>>;
  }[];
}

/** How a state is stated. */
export interface Stated {
  /** It is the first state of a store, which has joined, even if the transaction around it is rolled back. */
  readonly joins?: boolean;
  /** What is made of the state before it, where that is another one: without it, it stays as it was stated. */
  readonly redo?: ((state: unknown) => unknown) | undefined;
}

/** What a feature does when something happens in the runtime. Each member is optional: a stage without hooks costs a check. */
export interface Hooks {
  /**
   * An action was applied, and watchers were notified. May start work. Inside a transaction: after the outermost commit;
   * never after a rollback.
   * @param tasks those that the action starts
   */
  after?(action: AnyAction, tasks: readonly DeclaredTask[], transition: Transition | undefined): void;
  /** Whether it waits for actions of a type, beside what is declared. */
  awaits?(type: string): boolean;
  /**
   * Looks at what an action is about to change, after the invariants. Nothing is written yet. Dispatching here is
   * FLOE_WRONG_PLACE.
   * @returns an error refuses the action: `dispatch` throws it, and nothing is written
   */
  check?(action: AnyAction, changed: readonly CellChange[]): Error | undefined;
  /** An action is about to be committed. Bookkeeping only. */
  committing?(applied: Applied, group: number | undefined, by: Applying | undefined): void;
  /** A state that no action computes is about to be the state of a store. */
  stated?(cell: Cell, state: unknown, group: number | undefined, how: Stated): void;
  /** A transaction begins, perhaps inside of another one. Returns what `rollBack` needs. */
  savepoint?(): unknown;
  /** The transaction failed, and its states are rolled back. The savepoint is absent where none was asked for. */
  rollBack?(savepoint: unknown): void;
  /** The live line is another one from now on: it is what is shown. */
  lineChanged?(): void;
  /** The cursor moves: watchers are notified of states of another time. */
  readonly isMoving?: boolean;
  /** The application does something: where the past is shown, a branch begins there. One feature has this. */
  leavePast?(): void;
  /** A state that was read, with what the shown line did to the state that stood for it meanwhile. */
  onTopOf?(read: unknown, before: unknown, after: unknown): unknown;
  /** The stored state of a store was read while the past is shown. */
  readUnseen?(cell: Cell, state: unknown, transition: Transition | undefined): void;
  /**
   * Puts what is pending on top of confirmed states that came from elsewhere.
   * @returns the states to commit, and what went wrong; nothing where nothing is pending
   */
  rebase?(states: ReadonlyMap<Cell, unknown>): Rebased | undefined;
  /** The live states without pending optimistic actions, of the stores that they changed; nothing while none is pending. */
  confirmed?(): ReadonlyMap<Cell, unknown> | undefined;
  /** The oldest transition that is still pending. */
  pinned?(): Transition | undefined;
  /** The outermost call from outside has ended. */
  idle?(): void;
  /** The live line becomes another one: work that did not begin on it ends. */
  leave?(stays: (transition: Transition) => boolean, reason: 'branch' | 'import'): void;
  /** The live line is another one now; `claimed` are the runs that were left under way on it, where they are known. */
  arrived?(reason: 'branch' | 'import', claimed: readonly RunNote[]): void;
  /** The runs of a task that are under way, by the name of the store of its statuses. */
  running?(statuses: string): Running | undefined;
  /**
   * An optimistic action was confirmed or reverted: what was given for it may be given back. Watchers were notified.
   * @param how `confirmed` also where another action takes its place
   */
  settled?(action: AnyAction, how: SettleHow): void;
  /**
   * Calls `work`, which does the work of a run, and returns what it returns: inside of a context of its own, for example.
   * Where the work is asynchronous, that is a promise.
   */
  working?<T>(run: RunNote, work: () => T): T;
  /** What a run works with, or something in its place, which has the same members. */
  context?(run: { readonly id: number }, context: object): object;
  /** Runs what a call says: `runtime.run`. */
  run?(call: unknown): unknown;
  /** Starts tasks that begin by themselves. */
  begin?(tasks: readonly DeclaredTask[]): void;
  /** The tasks that it knows besides those that stores declare. */
  readonly tasks?: Iterable<DeclaredTask>;
  /** The runtime ends. */
  close?(): void;
}
