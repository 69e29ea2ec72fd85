// What all stories of one search share.
import { definitionOf, type StoreDefinition } from '../../core/internal.js';
import { DataHashes } from './data-hashes.js';
import type { ExploreOptions } from './exploration.js';

export interface Stage {
  readonly options: ExploreOptions;
  readonly stores: readonly StoreDefinition[];
  /** The states that every story begins with, once they are known: equal parts are the same objects. */
  initial: Readonly<Record<string, unknown>> | undefined;
  readonly hashes: DataHashes;
}

export const stageOf = (options: ExploreOptions): Stage => ({
  options,
  stores: options.stores.map(definitionOf),
  initial: undefined,
  hashes: new DataHashes(),
});
