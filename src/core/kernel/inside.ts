// What the parts of the kernel need of each other: the pipeline, transactions, and the joining of stores.
import type { FloeError } from '../base/errors.js';
import type { AnyAction } from '../model/action.js';
import type { DeclaredTask } from '../model/handled.js';
import type { Read } from '../model/source.js';
import type { Touches } from '../data/touches.js';
import type { Listener } from './attachment.js';
import type { Cell, CellChange } from './cell.js';
import type { Computing } from './compute.js';
import type { Applying, Feature, Hooks } from './feature.js';
import type { HandlerTable } from './handlers.js';
import type { Notifications } from './notifications.js';
import type { Transaction } from './transaction.js';
import type { Cause, FactName, Outcome, StoreChange, Transition } from './transition.js';
import type { Views } from './view.js';

/** What features kept when a transaction began. A feature that was installed since is in none. */
export type Savepoint = ReadonlyMap<Hooks, unknown>;

export interface Inside {
  readonly cells: Map<string, Cell>;
  readonly views: Views;
  readonly handlers: HandlerTable;
  readonly computing: Computing;
  readonly notifications: Notifications;
  readonly listeners: readonly Listener[];
  readonly invariants: 'report' | 'refuse';
  readonly recorded: boolean;
  readonly isClosed: boolean;
  readonly isMoving: boolean;
  readonly isInTransaction: boolean;
  /** Nothing but the store of an action has to see it before it is committed. */
  readonly isPlain: boolean;
  /** The innermost transaction that is under way. */
  transaction: Transaction | undefined;
  nextTransaction(): number;
  /** What interceptors hold: functions that end it. */
  readonly waiting: Set<() => void>;
  readonly read: Read;
  stopwatch(): number;
  open(what: string): void;
  forbidInside(what: string): void;
  leavePast(): void;
  byCode(): Cause;
  byDispatcher(): Cause;
  atLive<T>(fn: () => T): T;
  call<T>(fn: () => T): T;
  use<H extends Hooks>(feature: Feature<H>): H;
  stateOf(cell: Cell): unknown;
  // stages
  committing(
    action: AnyAction,
    changes: readonly CellChange[],
    transition: Transition | undefined,
    by: Applying | undefined,
  ): void;
  stated(cell: Cell, state: unknown): void;
  commit(changes: readonly CellChange[], touches?: Touches): void;
  record(transition: Transition): void;
  recordUnchanged(action: AnyAction, cause: Cause, outcome: Outcome, reason?: unknown, took?: number): void;
  recordWaiting(action: AnyAction, cause: Cause, end: () => void): void;
  stop(action: AnyAction, cause: Cause, reason: string): 'stopped';
  transitionOf(
    action: AnyAction,
    cause: Cause,
    outcome: Outcome,
    took: number,
    changed: readonly StoreChange[],
    touches?: Touches,
    reason?: unknown,
    started?: number,
  ): Transition;
  ofFact(fact: FactName, changed: readonly StoreChange[], cause: Cause, more?: Partial<Transition>): Transition;
  place(changes: readonly StoreChange[], fact: FactName, more?: Partial<Transition>): void;
  notify(): void;
  afterwards(action: AnyAction, transition: Transition | undefined, tasks: readonly DeclaredTask[]): void;
  startTasks(tasks: readonly DeclaredTask[]): void;
  // transactions
  savepoint(): Savepoint;
  rollBack(savepoint: Savepoint): void;
  eachListener(tell: (listener: Listener) => void): void;
  // problems
  problem(error: unknown, transition?: Transition, action?: AnyAction): void;
  reportOnce(what: string, error: () => FloeError): void;
  noteNotHandled(type: string): void;
}
