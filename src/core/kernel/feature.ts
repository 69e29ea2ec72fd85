// What a runtime is extended by: features that it installs with the first definition, option or call that needs them. The
// runtime knows none of them.
import type { AnyAction } from '../model/action.js';
import type { FloeError } from '../base/errors.js';
import type { DeclaredTask } from '../model/handled.js';
import type { DispatchResult } from '../model/action.js';
import type { KernelOptions } from './options.js';
import type { Compute, Cell, CellChange } from './cell.js';
import type { Source } from '../model/source.js';
import type { StoreDefinition } from '../model/store.js';
import type { Cause, FactName, RunNote, Transition } from './transition.js';
import type { Views } from './view.js';

/** Something that a runtime installs once, when it first needs it. */
export interface Feature<Installed extends Hooks = Hooks> {
  readonly name: string;
  install(kernel: Extensible): Installed;
}

/** How an optimistic action is settled. */
export type SettleHow = 'confirmed' | 'reverted';

/** How many runs of a task are under way, and how many under each status key. */
export interface Running {
  readonly count: number;
  readonly keys: ReadonlyMap<string, number>;
}

/** An optimistic action that was applied. */
export interface PendingEntry {
  /** Neither confirmed nor reverted. */
  readonly open: boolean;
}

/** How an action of a run is applied. */
export interface Applying {
  /** Why it can no longer be applied, if it cannot. */
  readonly stopped?: () => string | undefined;
  /** What an optimistic action needs. */
  readonly feature?: Feature | undefined;
  /** Called with the entry that an optimistic action became, and then when it is applied. */
  readonly optimistic?: { became(entry: PendingEntry): void; applied(): void } | undefined;
}

/** States that were computed once more, and what could not be. */
export interface Rebased {
  readonly states: ReadonlyMap<Cell, unknown>;
  readonly problems: (cause: string) => readonly FloeError[];
}

/** Brings in states of stores that are still being read. */
export interface LateStates extends Hooks {
  fill(cell: Cell, stored: PromiseLike<unknown>): void;
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
  /** An action is about to be committed; `changed` is what it changes. Bookkeeping only. */
  committing?(
    action: AnyAction,
    changed: readonly CellChange[],
    group: number | undefined,
    transition: Transition | undefined,
    by: Applying | undefined,
  ): void;
  /** A state that no action computes is about to be the state of a store. */
  stated?(cell: Cell, state: unknown, group: number | undefined): void;
  /** A transaction begins, perhaps inside of another one. Returns what `rollBack` needs. */
  savepoint?(): unknown;
  /** The transaction failed, and its states are rolled back. The savepoint is absent where none was asked for. */
  rollBack?(savepoint: unknown): void;
  /** The live line is another one from now on: it is what is shown. */
  lineChanged?(): void;
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
  /** Runs what a call says: `runtime.run`. */
  run?(call: unknown): unknown;
  /** Starts tasks that begin by themselves. */
  begin?(tasks: readonly DeclaredTask[]): void;
  /** The tasks that it knows besides those that stores declare. */
  readonly tasks?: Iterable<DeclaredTask>;
  /** The runtime ends. */
  close?(): void;
}

/** What a runtime offers to features. */
export interface Extensible {
  readonly options: KernelOptions;
  readonly now: () => number;
  readonly random: () => number;
  /** Calls `fn` after some milliseconds of the runtime's clock. Returns a function that prevents it. */
  readonly after: (ms: number, fn: () => void) => () => void;
  /** Whether there is a listener. */
  readonly recorded: boolean;
  /** The runtime has ended. */
  readonly isClosed: boolean;
  /** A transaction is under way. */
  readonly isInTransaction: boolean;
  /** The cursor moves: watchers are notified of states of another time. */
  readonly isMoving: boolean;
  /** @throws FLOE_CLOSED after the end */
  open(what: string): void;
  /** @throws FLOE_WRONG_PLACE inside a change or a selector */
  forbidInside(what: string): void;
  /** Calls `fn` now, or after the outermost transaction, however it ends. */
  later(fn: () => void): void;
  /** A call from outside: at the end of the outermost one, what a binding's watchers threw is thrown again. */
  call<T>(fn: () => T): T;
  /** Does something at the live end, unseen while the cursor is in the past. */
  atLive<T>(fn: () => T): T;
  readLive<T>(source: Source<T>): T;
  /**
   * The application begins work now: where the past is shown, a branch begins there, unless watchers are notified.
   * @returns the cause of the work
   */
  beginWork(): Cause;
  /**
   * Dispatches at the live end, for a cause; queued while watchers are notified, stopped where `by` says so.
   * @throws what `dispatch` throws
   */
  dispatchLive(action: AnyAction, cause: Cause, by: Applying): DispatchResult;
  atomic<T>(fn: () => T): T;
  cell(store: StoreDefinition): Cell;
  readonly cells: ReadonlyMap<string, Cell>;
  /** The state of a store on the view that is worked on. */
  stateOf(cell: Cell): unknown;
  readonly views: Views;
  /** Adds the cell of a store that is internal to a feature. */
  addCell(store: StoreDefinition, state: unknown): Cell;
  /** The runs of a task that are under way, by the name of the store of its statuses. */
  running(statuses: string): Running | undefined;
  /** The live line is another one from now on. */
  lineChanged(): void;
  /** The screen shows other states, live or not: notifies of that. */
  move(isLive: boolean): void;
  /** @throws FLOE_WRONG_PLACE inside a transaction or a batch */
  forbidHeld(what: string): void;
  /** Records a fact that changed a store which is internal to a feature, and notifies. */
  noteFact(
    fact: FactName,
    changed: CellChange | undefined,
    cause: Cause,
    more: Partial<Transition>,
  ): Transition | undefined;
  problem(error: unknown, transition?: Transition): void;
  /** The definition that a reloaded module declares in the place of an older one. */
  successorOf(store: StoreDefinition): StoreDefinition | undefined;
  /**
   * Commits states that were computed or stated elsewhere, as one fact at the live end: what stays equal stays the same object.
   * @param type what problems name as their cause
   */
  show(
    rebased: Rebased,
    fact: FactName,
    cause: Cause,
    more?: Partial<Transition>,
    type?: string,
  ): Transition | undefined;
  /** What an action makes of given states. */
  readonly compute: Compute;
  isShown(transition: Transition | undefined): boolean;
  /** Notifies watchers, unless that is put off. */
  notify(): void;
  /** The last stage for an action that took the place of another one. */
  afterwards(action: AnyAction, transition: Transition | undefined): void;
  /** Once a runtime. */
  use<H extends Hooks>(feature: Feature<H>): H;
  /** Has the actions go through `committing`, while that is of use; the fast way does without. */
  attend(hooks: Pick<Hooks, 'committing' | 'stated'>, attends: boolean): void;
}
