// What a runtime is extended by: features that it installs with the first definition, option or call that needs them. The
// runtime knows none of them.
import type { FloeError } from '../base/errors.js';
import type { FEATURE } from '../base/protocol.js';
import type { Touches } from '../data/touches.js';
import type { AnyAction, DispatchResult } from '../model/action.js';
import type { DeclaredTask } from '../model/triggers.js';
import type { Read } from '../model/source.js';
import type { StoreDefinition } from '../model/store.js';
import type { Reading } from '../reading/reading.js';
import type { Cell, CellChange } from './cell.js';
import type { Computing } from './compute.js';
import type { HandlerTable } from './handlers.js';
import type { FrameworkAdapter } from './adapter.js';
import type { Interceptor } from './interceptor.js';
import type { Notifications } from './notifications.js';
import type { KernelOptions } from './options.js';
import type { Recorded, Recorder } from './recorder.js';
import type { Transaction } from './transaction.js';
import type { Cause, FactName, RunNote, StoreChange, Transition } from './transition.js';
import type { Views } from './view.js';

/** Something that a runtime installs once, when it first needs it. */
export interface Feature<Installed extends Hooks = Hooks> {
  readonly name: string;
  /** On the features that Floe itself brings. */
  readonly [FEATURE]?: true;
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
interface PendingEntry {
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
  /** An action is about to be committed; `changed` is what it changes. Bookkeeping only. */
  committing?(
    action: AnyAction,
    changed: readonly CellChange[],
    group: number | undefined,
    transition: Transition | undefined,
    by: Applying | undefined,
  ): void;
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
  /** Runs what a call says: `runtime.run`. */
  run?(call: unknown): unknown;
  /** Starts tasks that begin by themselves. */
  begin?(tasks: readonly DeclaredTask[]): void;
  /** The tasks that it knows besides those that stores declare. */
  readonly tasks?: Iterable<DeclaredTask>;
  /** The runtime ends. */
  close?(): void;
}

/** What a runtime offers to features, to what is attached to it, and to the parts of the kernel itself. */
export interface Extensible extends Recorded {
  readonly options: KernelOptions;
  readonly now: () => number;
  readonly random: () => number;
  /** Calls `fn` once after some milliseconds of the runtime's clock. Returns a function that prevents it. */
  readonly after: (ms: number, fn: () => void) => () => void;

  // where something may be done
  /** @throws FLOE_CLOSED after the end */
  open(what: string): void;
  /** @throws FLOE_WRONG_PLACE inside a change or a selector */
  forbidInside(what: string): void;
  /** The runtime has ended. */
  readonly isClosed: boolean;
  /** The cursor moves: watchers are notified of states of another time. */
  readonly isMoving: boolean;
  /** The application does something: where the past is shown, a branch begins there. */
  leavePast(): void;

  // stores and states
  readonly cells: ReadonlyMap<string, Cell>;
  /** Where a store stands in every view; the store joins when it has not. */
  cell(store: StoreDefinition): Cell;
  readonly joining: Joiner;
  readonly views: Views;
  /** The state of a store on the view that is worked on. */
  stateOf(cell: Cell): unknown;
  readonly read: Read;
  /** The derived values on the view that is worked on. */
  readonly reading: Reading;
  readonly handlers: HandlerTable;
  readonly computing: Computing;

  // actions
  /** @param cause Default: the application, or the interceptor that decides now. */
  dispatch(action: AnyAction, cause?: Cause): DispatchResult;
  /** The pipeline from the interceptors on, for an action that was checked. */
  intercept(action: AnyAction, cause: Cause, by?: Applying): DispatchResult;
  readonly interceptors: readonly { readonly name: string; readonly fn: Interceptor }[];
  /** The action that an interceptor decides about, while it runs. */
  deciding: Deciding | undefined;
  /** What interceptors hold: functions that end it. */
  readonly waiting: Set<() => void>;
  byCode(): Cause;
  byDispatcher(): Cause;
  /** The last stage for an action that took the place of another one. */
  afterwards(action: AnyAction, transition: Transition | undefined, tasks?: readonly DeclaredTask[]): void;
  startTasks(tasks: readonly DeclaredTask[]): void;

  // states that are written
  /** Makes states the present ones of the view that is worked on. */
  commit(changes: readonly CellChange[], touches?: Touches): void;
  /** A state that no action computes is about to be the state of a store. */
  stated(cell: Cell, state: unknown, how: Stated): void;
  /** Commits states as one fact, and notifies. */
  place(
    changes: readonly StoreChange[],
    fact: FactName,
    more?: Partial<Transition>,
    redo?: (state: unknown) => unknown,
  ): void;
  /** There while there is a listener. */
  recorder: Recorder | undefined;
  /** Fulfilled when everything that is stored was read; what is attached as a storage sets it. */
  whenRead: (() => Promise<void>) | undefined;
  problem(error: unknown, transition?: Transition, action?: AnyAction, task?: string): void;

  // calls, notifications, transactions
  /** A call from outside: at the end of the outermost one, what a binding's watchers threw is thrown again. */
  call<T>(fn: () => T): T;
  readonly notifications: Notifications;
  /** Of the frameworks whose components show values of this runtime. */
  readonly adapters: FrameworkAdapter[];
  /** Notifies watchers, unless that is put off. */
  notify(): void;
  atomic<T>(fn: () => T): T;
  /** The innermost transaction that is under way. */
  transaction: Transaction | undefined;
  /** How many there were. */
  transactions: number;
  /** Calls `fn` now, or after the outermost transaction, however it ends. */
  later(fn: () => void): void;
  /** The same, but in a batch put off until it ends, or until code reads, dispatches or the like. */
  afterBatch(fn: () => void): void;
  /** Does now what was put off in a batch. */
  catchUp(): void;

  // features
  readonly features: Iterable<Hooks>;
  /** Installs a feature, once a runtime. */
  use<H extends Hooks>(feature: Feature<H>): H;
  /** The features that may refuse an action. */
  readonly checks: readonly Required<Pick<Hooks, 'check'>>[];
  /** The feature that has to see every action, while there is one; the fast way does without. */
  attending: Pick<Hooks, 'committing' | 'stated'> | undefined;
}

/** How stores come into a runtime. */
export interface Joiner {
  join(stores: readonly StoreDefinition[], fact: FactName): void;
  /** Adds the cell of a store. @param known whether listeners know it */
  add(store: StoreDefinition, state: unknown, known: boolean): Cell;
  /** Definitions of modules that were reloaded since, and what took their place. */
  readonly retired: WeakMap<StoreDefinition, StoreDefinition>;
}

/** The action that an interceptor decides about, and its transition, or else the one that led to it. */
export interface Deciding {
  action: AnyAction;
  of: Transition | undefined;
}

/** Tells every feature. An error of one is reported, and the others are still told. */
export function eachFeature(kernel: Pick<Extensible, 'features' | 'problem'>, tell: (hooks: Hooks) => void): void {
  for (const hooks of kernel.features) {
    try {
      tell(hooks);
    } catch (error) {
      kernel.problem(error);
    }
  }
}

/** The first result that a feature gives. */
export function firstResult<T>({ features }: Extensible, ask: (hooks: Hooks) => T | undefined): T | undefined {
  for (const hooks of features) {
    const result = ask(hooks);
    if (result !== undefined) return result;
  }
  return undefined;
}

/** The stores that have joined. */
export const storesOf = ({ cells }: Extensible): StoreDefinition[] =>
  Array.from(cells.values(), ({ store }) => store).filter((store) => !store.internal);
