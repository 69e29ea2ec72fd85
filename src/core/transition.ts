// The record of one transition, and the contract of what listens to it (trace, persistence). The core knows neither.
import type { AnyAction } from './action.js';
import type { Touches } from './diff.js';
import type { StoreDefinition } from './store.js';

/** Who dispatched. `code` is the application; `of` is the transition that it answered. */
export interface Cause {
  readonly by: 'code' | 'trace' | 'storage' | 'interceptor' | 'runtime';
  readonly of?: Transition;
}

/** What became of an action. */
export type Outcome = 'applied' | 'unchanged' | 'waiting' | 'stopped' | 'refused' | 'failed' | 'reverted';

/** What a fact step states: nothing computes it, so its patch is taken as given. */
export type FactName = 'initial' | 'joined' | 'rehydrated' | 'reset' | 'renewed';

export interface StoreChange {
  readonly store: StoreDefinition;
  /** The state before; absent when the store joined. */
  readonly before: unknown;
  readonly after: unknown;
  readonly joined?: boolean;
}

/** One transition of the runtime: an action and what it changed, or a fact. */
export interface Transition {
  readonly kind: 'action' | 'fact';
  /** Which fact. */
  readonly fact?: FactName;
  readonly action?: AnyAction;
  readonly cause: Cause;
  readonly outcome: Outcome;
  readonly changed: readonly StoreChange[];
  /** What the drafts know about the containers that they changed. */
  readonly touches?: Touches | undefined;
  /** Epoch milliseconds. */
  readonly time: number;
  /** Milliseconds that the changes took. */
  readonly took: number;
  /** Why it was stopped, or what it threw. */
  readonly reason?: unknown;
  /** Transitions that stand or fall together share a number. */
  readonly group?: number | undefined;
  /** The rules that do not hold after it. */
  readonly problems: unknown[];
}

/** Something that listens to every transition, and may bring stored state back. */
export interface Listener {
  /** The transition is done; those who watch are told next. */
  transition?(transition: Transition): void;
  /** The cursor of the trace moved: the states are of another time. */
  travelled?(live: boolean): void;
  /** The state that a store should begin with instead of this one; the same value where nothing is stored. */
  begin?(store: StoreDefinition, state: unknown): unknown;
  /** The runtime ends. */
  close?(): void;
}

/** What the runtime offers to what is attached to it. */
export interface Host {
  readonly now: () => number;
  /** The state of every store that has joined, under its name. */
  states(): Readonly<Record<string, unknown>>;
  /** The stores that have joined. */
  stores(): readonly StoreDefinition[];
  /** The one door for states that come from elsewhere: another time, a file. Tells those who watch. */
  restore(states: Readonly<Record<string, unknown>>, live: boolean): void;
  /** Reports something that went wrong where nobody waits for an answer. */
  problem(error: unknown, transition?: Transition): void;
}

/** Marks what can be attached to a runtime. */
export const ATTACH: unique symbol = Symbol('floe.attach');

/** A value for an option of `createRuntime`: `recording()`, `webStorage()`. `Face` is what the runtime then has. */
export interface Attachment<out Face> {
  readonly [ATTACH]: (host: Host) => { readonly face: Face; readonly listener: Listener };
}
