// How any area becomes a storage for `createRuntime`.
import { listen } from '../core/kernel/recorder.js';
import type { FloeError } from '../core/base/errors.js';
import { faceOf } from '../core/base/face.js';
import { checkOptions } from '../core/base/options.js';
import { definitionOf } from '../core/model/store.js';
import { ATTACH, PLACES, type Attachment, type StoragePlaces } from '../core/kernel/attachment.js';
import type { Extensible } from '../core/kernel/feature.js';
import type { Listener } from '../core/kernel/listener.js';
import type { StorageArea } from './area.js';
import { Keeper, type KeeperOptions } from './keeper.js';
import type { Persistence } from './persistence.js';
import { Places } from './places.js';
import type { Shelf } from './shelf.js';
import type { TabLink } from './tabs/tab-link.js';

/** How a storage is written to. */
export interface StorageOptions {
  /**
   * Milliseconds in which changes are gathered and written together; at the end of the session they are written at once.
   * 0 writes with each change, `Infinity` only with `flush()`. Default: 100; in memory 0.
   */
  readonly writeAfter?: number | undefined;
}

/** For a storage of one's own. */
export interface OwnStorageOptions extends StorageOptions {
  /**
   * How the tabs that write to the same place reach each other: then they are kept in step, and only one of them writes.
   * Called once a runtime. Default: they do not.
   */
  readonly tabs?: ((report: (problem: FloeError) => void) => TabLink | undefined) | undefined;
}

/** For storages that all tabs of a browser have in common. */
export interface TabOptions {
  /**
   * Keeps the tabs of this browser in step: what one does, to the parts that are kept, is a step in all of them, and only
   * one of them writes. Without it each tab has its own state, and what several of them store is joined. Default: `false`.
   */
  readonly shareTabs?: boolean;
}

/**
 * Makes a storage for `createRuntime` out of any area. `open` is called once a runtime; what it reports becomes a problem.
 * @example
 * const storage = storageIn(() => ({
 *   read: (key) => texts.get(key),
 *   write: (key, text) => void texts.set(key, text),
 *   remove: (key) => void texts.delete(key),
 *   keys: () => [...texts.keys()],
 * }));
 */
export const storageIn = (
  open: (report: (problem: FloeError) => void) => StorageArea,
  options: OwnStorageOptions = {},
): Attachment<Persistence> => {
  checkOptions('storageIn', options, ['writeAfter', 'tabs']);
  const storage: Storage = {
    [ATTACH]: (host) => faced(host, storage[KEEPER](host)),
    [PLACES]: placesOf,
    [KEEPER]: (host, more) => keeperIn(host, open, options, more),
  };
  return storage;
};

/** Makes the keeper of a storage. */
const KEEPER: unique symbol = Symbol('floe.keeper');

interface Storage extends Attachment<Persistence> {
  readonly [KEEPER]: (host: Extensible, more?: Partial<KeeperOptions>) => Keeper;
}

const MEMBERS: readonly (keyof Persistence)[] = [
  ...([
    'status',
    'tab',
    'ready',
    'pending',
    'problems',
    'flush',
    'rehydrate',
    'forget',
    'list',
    'texts',
    'watch',
  ] as const),
];

function faced(kernel: Extensible, keeper: Persistence & Listener): Persistence {
  listen(kernel, keeper);
  return faceOf<Persistence, keyof Persistence>(keeper, MEMBERS);
}

function keeperIn(
  host: Extensible,
  open: (report: (problem: FloeError) => void) => StorageArea,
  { writeAfter = 100, tabs }: OwnStorageOptions,
  more: Partial<KeeperOptions> = {},
): Keeper {
  const early: FloeError[] = [];
  let report = (problem: FloeError): void => void early.push(problem);
  const keeper = new Keeper(
    host,
    open((problem) => report(problem)),
    { writeAfter, link: tabs?.((problem) => report(problem)), ...more },
  );
  report = (problem) => keeper.report(problem);
  early.forEach(report);
  return keeper;
}

/** One attachment of several storages: each store is kept in one of them. */
const placesOf = ({ default: usual, stores }: StoragePlaces<Persistence>): Attachment<Persistence> => ({
  [ATTACH]: (host) => {
    const problems: FloeError[] = [];
    const keepers = new Map<unknown, { readonly keeper: Keeper; readonly others: Shelf[] }>();
    const keeperOf = (storage: Attachment<unknown>): Keeper => {
      const known = keepers.get(storage);
      if (known) return known.keeper;
      const others: Shelf[] = [];
      const keeper = (storage as Storage)[KEEPER](host, { others, problems });
      keepers.set(storage, { keeper, others });
      return keeper;
    };
    const first = keeperOf(usual);
    const byStore = new Map(stores.map(([store, storage]) => [definitionOf(store).name, keeperOf(storage)]));
    const all = [...keepers.values()];
    for (const { keeper, others } of all)
      others.push(...all.filter((other) => other.keeper !== keeper).map((other) => other.keeper.shelf));
    return faced(host, new Places(first, byStore, problems));
  },
});
