// The contract of what is attached to a runtime and listens to its transitions (trace, persistence). The kernel knows none.
import type { About, AnyAction, DispatchResult } from '../model/action.js';
import type { AnyStore, StoreDefinition } from '../model/store.js';
import type { Reading } from '../reading/reading.js';
import type { Compute } from './cell.js';
import type { Feature, Hooks, LateStates } from './feature.js';
import type { Actor, FactName, StoreChange, Transition } from './transition.js';

/** Something that listens to every transition, and may bring stored state back. */
export interface Listener {
  /** The transition is done; watchers are notified next. */
  transition?(transition: Transition): void;
  /** Something was added to the problems of a transition that was told before: a watcher or a selector threw. */
  noted?(transition: Transition): void;
  /** A transaction failed: these transitions are told next, as reverted. */
  reverting?(transitions: readonly Transition[]): void;
  /** The cursor of the trace moved: the states are of another time. */
  travelled?(live: boolean): void;
  /**
   * The state that a store should begin with instead of this one; the same value where nothing is stored. A promise where
   * it is still to be read: what is done meanwhile is then applied once more on top of it.
   */
  begin?(store: StoreDefinition, state: unknown): unknown;
  /** Brings in the states that `begin` promises. */
  readonly late?: Feature<LateStates> | undefined;
  /** Whether a transition is on the line that is shown, at the cursor or before it. */
  isShown?(transition: Transition): boolean;
  /** Another history took the place of the present one: no transition that was told before is part of it. */
  replaced?(): void;
  /** The runtime ends. A promise where it takes time to store what was accepted. */
  close?(): void | PromiseLike<void>;
}

/** What the runtime offers to what is attached to it. */
export interface Host {
  readonly now: () => number;
  /** Calls `fn` once after some milliseconds of the runtime's clock. Returns a function that prevents it. */
  readonly after: (ms: number, fn: () => void) => () => void;
  /** The state of every store at the live end, under its name; without what open optimistic actions did. */
  states(): Readonly<Record<string, unknown>>;
  /** What an action makes of states that are given. @throws what its changes throw */
  readonly compute: Compute;
  /** Whether optimistic actions are open: then `states` may change though what is seen does not. */
  readonly uncertain: boolean;
  /** The stores that have joined. */
  stores(): readonly StoreDefinition[];
  /** The state of every store as it is shown, under its name. */
  shown(): Readonly<Record<string, unknown>>;
  /** How rules are kept: see `createRuntime`. */
  readonly invariants: 'report' | 'refuse';
  /** The oldest transition that is still pending. */
  readonly oldestOpen: Transition | undefined;
  /** Installs a feature, once a runtime. */
  use<H extends Hooks>(feature: Feature<H>): H;
  /** Throws FLOE_CLOSED after the end. */
  open(what: string): void;
  /** A call from outside: at the end of the outermost one, what a binding's watchers threw is thrown again. */
  call<T>(fn: () => T): T;
  /** Dispatches for another actor than the application's code. */
  send(action: AnyAction, by: Actor): DispatchResult;
  /** States that are so from now on, as one fact; `false` where that is left out, since the cursor moves. */
  state(changes: readonly StoreChange[], fact: FactName, more?: Partial<Transition>): boolean;
  /** The derived values as they are shown. */
  readonly reading: Reading;
  /** What was declared about an action of a type, or about a task of a name. */
  about(kind: 'action' | 'task', name: string): About | undefined;
  /** Adds a listener. Returns a function that stops it. */
  listen(listener: Listener): () => void;
  /** Another line is about to be shown: runs that did not begin on it are cancelled. */
  leave(stays: (transition: Transition) => boolean, reason: 'branch' | 'import'): void;
  /** Whether a transition is on the line that is shown, at the cursor or before it, and counts. */
  isShown(transition: Transition): boolean;
  /** Calls `fn` when the transaction that is under way has ended, however it ends; at once where none is. */
  later(fn: () => void): void;
  /** Tells all listeners that another history took the place of the present one. */
  replaced(): void;
  /** Reports an error that no caller waits for. */
  problem(error: unknown, transition?: Transition): void;
}

/** On a runtime: what it offers to the parts of Floe that work on it. */
export const HOST: unique symbol = Symbol('floe.host');

/** What a runtime offers to the parts of Floe that work on it. */
export const hostOf = (runtime: object): Host => (runtime as { readonly [HOST]: Host })[HOST];

/** Marks what can be attached to a runtime. */
export const ATTACH: unique symbol = Symbol('floe.attach');

/** Marks a storage that can be one of several places of a runtime. */
export const PLACES: unique symbol = Symbol('floe.places');

/** Different stores in different places: the option `storage` of `createRuntime`. */
export interface StoragePlaces<Face = unknown> {
  /** Keeps every store that `stores` does not name. */
  readonly default: Attachment<Face>;
  /** Stores, and the storage that keeps each. */
  readonly stores: readonly (readonly [store: AnyStore, storage: Attachment<unknown>])[];
}

/** A value for an option of `createRuntime`: `recording()`, `webStorage()`. `Face` is what the runtime then has. */
export interface Attachment<out Face> {
  readonly [ATTACH]: (host: Host) => { readonly face: Face; readonly listener: Listener };
  /** Of a storage: makes one of several, of which it is the default. */
  readonly [PLACES]?: (places: StoragePlaces<never>) => Attachment<unknown>;
}
