// A trace, a storage or telemetry: each transition is recorded there. It may bring stored states back.
import type { StoreDefinition } from '../model/store.js';
import type { Cell } from './cell.js';
import type { StoreChange, Transition } from './transition.js';

export interface Listener {
  /** The transition is done; watchers are notified next. */
  transition?(transition: Transition): void;
  /** Something was added to the problems of a transition that was told before: a watcher or a selector threw. */
  noted?(transition: Transition): void;
  /** A transaction has committed: these transitions are told next. */
  committing?(transitions: readonly Transition[]): void;
  /** A transaction failed: these transitions are told next, as reverted. */
  reverting?(transitions: readonly Transition[]): void;
  /** The cursor of the trace moved: the states are of another time. */
  travelled?(live: boolean): void;
  /**
   * The state that a store should begin with instead of this one; the same value where nothing is stored. A promise where
   * it is still to be read: what is done meanwhile is then applied once more on top of it.
   */
  begin?(store: StoreDefinition, state: unknown): unknown;
  /** Brings in a state that `begin` promised, now that the store has joined. */
  fill?(cell: Cell, stored: PromiseLike<unknown>): void;
  /** What the cursor shows, in the past, is the live end from now on: a branch begins there. */
  branched?(): void;
  /** Whether a transition is on the line that is shown, at the cursor or before it. */
  isShown?(transition: Transition): boolean;
  /** A step was computed again, since others are left out or taken in: this is what it changes now. */
  recomputed?(step: number, changed: readonly StoreChange[]): void;
  /** Another history took the place of the present one: no transition that was told before is part of it. */
  replaced?(): void;
  /** The runtime ends. A promise where it takes time to store what was accepted. */
  close?(): void | PromiseLike<void>;
}
