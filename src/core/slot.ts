// A store in a runtime: its state, and the place where it is read.
import type { AnyAction } from './action.js';
import { Editing } from './draft.js';
import type { StoreDefinition } from './store.js';
import { Place } from './tracking.js';
import type { StoreChange } from './transition.js';

export interface Slot {
  store: StoreDefinition;
  state: unknown;
  /** The state that it joined with, before anything stored. */
  readonly begun: unknown;
  place: Place;
  editing: Editing;
  /** Whether those who record know of it on the present line. */
  told: boolean;
}

export const makeSlot = (store: StoreDefinition, state: unknown, told: boolean, begun = state): Slot => ({
  store,
  state,
  begun,
  place: new Place(undefined, store.name),
  editing: new Editing(),
  told,
});

/** What became of one slot. */
export interface SlotChange extends StoreChange {
  readonly slot: Slot;
}

/** A change of a slot, as it is recorded: where those who record do not know the store yet, it joins. */
export const slotChange = (slot: Slot, after: unknown): SlotChange =>
  slot.told
    ? { store: slot.store, slot, before: slot.state, after }
    : { store: slot.store, slot, before: undefined, after, joined: true };

/** What an action makes of the states of slots, but of those left out; throws as the change throws. */
export type Compute = (
  action: AnyAction,
  stateOf: (slot: Slot) => unknown,
  leftOut?: ReadonlySet<Slot>,
) => ReadonlyMap<Slot, unknown>;
