// What a runtime is extended by: features that it installs with the first definition, option or call that needs them. The
// runtime knows none of them.
import type { FEATURE } from '../base/protocol.js';
import type { AnyAction, DispatchResult } from '../model/action.js';
import type { Read } from '../model/source.js';
import type { StoreDefinition } from '../model/store.js';
import type { Cell } from './cell.js';
import type { Computing } from './compute.js';
import type { Features } from './features.js';
import type { HandlerTable } from './handlers.js';
import type { Applying, Hooks } from './hooks.js';
import type { Interception } from './interceptor.js';
import type { Notifications } from './notifications.js';
import type { KernelOptions } from './options.js';
import type { Recorder } from './recorder.js';
import type { Transactions } from './transactions.js';
import type { Cause, FactName, Transition } from './transition.js';
import type { Views } from './view.js';

/** Something that a runtime installs once, when it first needs it. */
export interface Feature<Installed extends Hooks = Hooks> {
  readonly name: string;
  /** On the features that Floe itself brings. */
  readonly [FEATURE]?: true;
  install(kernel: Extensible): Installed;
}

/** What a runtime offers to features, to what is attached to it, and to the parts of the kernel itself. */
export interface Extensible {
  readonly options: KernelOptions;
  readonly now: () => number;
  readonly random: () => number;
  /** Calls `fn` once after some milliseconds of the runtime's clock. Returns a function that prevents it. */
  readonly after: (ms: number, fn: () => void) => () => void;
  /** Calls `fn` now, or after the outermost transaction, however it ends. */
  readonly later: (fn: () => void) => void;
  readonly read: Read;
  /** @param cause Default: the application, or the interceptor that decides now. */
  readonly dispatch: (action: AnyAction, cause?: Cause) => DispatchResult;
  /** The pipeline from the interceptors on, for an action that was checked. */
  readonly intercept: (action: AnyAction, cause: Cause, by?: Applying) => DispatchResult;
  problem(error: unknown, transition?: Transition, action?: AnyAction, task?: string): void;
  /** @throws FLOE_CLOSED after the end */
  open(what: string): void;
  /** @throws FLOE_WRONG_PLACE inside a change or a selector */
  forbidInside(what: string): void;
  /** The runtime has ended. */
  readonly isClosed: boolean;

  readonly cells: ReadonlyMap<string, Cell>;
  readonly joining: Joiner;
  readonly views: Views;
  readonly handlers: HandlerTable;
  readonly computing: Computing;
  readonly interceptors: Interception;
  readonly notifications: Notifications;
  readonly transactions: Transactions;
  readonly features: Features<Extensible>;
  /** There while there is a listener. */
  recorder: Recorder | undefined;
  /** Fulfilled when everything that is stored was read; what is attached as a storage sets it. */
  whenRead: (() => Promise<void>) | undefined;
}

/** How stores come into a runtime. */
export interface Joiner {
  /** Where a store stands in every view; the store joins when it has not. */
  cell(store: StoreDefinition): Cell;
  join(stores: readonly StoreDefinition[], fact: FactName): void;
  /** Adds the cell of a store. @param known whether listeners know it */
  add(store: StoreDefinition, state: unknown, known: boolean): Cell;
  /** Definitions of modules that were reloaded since, and what took their place. */
  readonly retired: WeakMap<StoreDefinition, StoreDefinition>;
}

/** The stores that have joined. */
export const storesOf = ({ cells }: Extensible): StoreDefinition[] =>
  Array.from(cells.values(), ({ store }) => store).filter((store) => !store.internal);
