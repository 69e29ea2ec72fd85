// The contract of what is attached to a runtime by an option (a trace, storages). The kernel knows none.
import { notARuntime } from '../base/errors.js';
import { ATTACH, foreign, HOST } from '../base/protocol.js';
import type { AnyStore } from '../model/store-types.js';
import type { Extensible } from './feature.js';

/**
 * What a runtime offers to the parts of Floe that work on it.
 * @throws FLOE_NOT_A_RUNTIME, FLOE_OTHER_COPY
 */
export function hostOf(runtime: object): Extensible {
  const host = (runtime as { readonly [HOST]?: Extensible } | null | undefined)?.[HOST];
  if (!host) throw foreign(runtime) ?? notARuntime(runtime);
  return host;
}

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
