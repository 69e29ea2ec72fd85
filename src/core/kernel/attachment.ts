// The contract of what is attached to a runtime by an option (a trace, storages). The kernel knows none.
import type { AnyStore } from '../model/store.js';
import type { Extensible } from './feature.js';

/** On a runtime: what it offers to the parts of Floe that work on it. */
export const HOST: unique symbol = Symbol('floe.host');

/** What a runtime offers to the parts of Floe that work on it. */
export const hostOf = (runtime: object): Extensible => (runtime as { readonly [HOST]: Extensible })[HOST];

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
  readonly [ATTACH]: (kernel: Extensible) => Face;
  /** Of a storage: makes one of several, of which it is the default. */
  readonly [PLACES]?: (places: StoragePlaces<never>) => Attachment<unknown>;
}
