// How any area becomes a storage for `createRuntime`.
import {
  ATTACH,
  type Attachment,
  definitionOf,
  type Extensible,
  faceOf,
  type FloeError,
  listen,
  type Listener,
  PLACES,
  type StoragePlaces,
  badOption,
  DEV,
} from '../core/internal.js';
import type { StorageArea } from './area.js';
import { PersistenceEngine, type EngineOptions } from './engine.js';
import type { Persistence } from './persistence.js';
import { Places } from './places.js';
import type { StoredTexts } from './stored-texts.js';
import { SHARES, type TabSharing } from './sharing.js';
import type { LateStates } from './stored-states.js';

/** How a storage is written to. */
export interface StorageOptions {
  /**
   * Milliseconds in which changes are gathered and written together; at the end of the session they are written at once.
   * 0 writes with each change, `Infinity` only with `flush()`. Default: 100; in memory 0.
   */
  readonly writeAfter?: number | undefined;
}

/** For storages that all tabs of a browser have in common. */
export interface TabOptions {
  /** `sharedTabs()` keeps the tabs of this browser in step. Default: each tab has its own state. */
  readonly tabs?: TabSharing | undefined;
}

/** What a kind of storage says of itself. */
interface StorageKind {
  /** Names what the tabs share; empty where a link of one's own is needed. */
  readonly place?: string;
  /** Brings in what it takes time to read. Default: the area answers at once. */
  readonly late?: LateStates;
}

/** Makes a storage out of an area. `open` is called once a runtime; what it reports becomes a problem. */
export function makeStorage(
  open: (report: (problem: FloeError) => void) => StorageArea,
  options: StorageOptions & TabOptions,
  kind: StorageKind = {},
): Attachment<Persistence> {
  const { tabs } = options;
  if (DEV && tabs !== undefined && typeof (tabs as Partial<TabSharing> | null)?.[SHARES] !== 'function')
    throw badOption('A storage', 'tabs', 'takes sharedTabs() from floe/persist');
  const storage: Storage = {
    [ATTACH]: (host) => faced(host, storage[ENGINE](host)),
    [PLACES]: placesOf,
    [ENGINE]: (host, more) => engineIn(host, open, { ...options, place: kind.place }, { late: kind.late, ...more }),
  };
  return storage;
}

/** Makes the engine of a storage. */
const ENGINE: unique symbol = Symbol('floe.engine');

interface Storage extends Attachment<Persistence> {
  readonly [ENGINE]: (host: Extensible, more?: Partial<EngineOptions>) => PersistenceEngine;
}

const MEMBERS: readonly (keyof Persistence)[] = [
  ...(['status', 'tab', 'pending', 'problems', 'flush', 'rehydrate', 'forget', 'list', 'texts', 'watch'] as const),
];

function faced(kernel: Extensible, engine: Persistence & Listener & { readonly ready: Promise<void> }): Persistence {
  listen(kernel, engine);
  kernel.whenRead = () => engine.ready;
  return faceOf<Persistence, keyof Persistence>(engine, MEMBERS);
}

function engineIn(
  host: Extensible,
  open: (report: (problem: FloeError) => void) => StorageArea,
  { writeAfter = 100, tabs, place = '' }: StorageOptions & TabOptions & { readonly place?: string | undefined },
  more: Partial<EngineOptions>,
): PersistenceEngine {
  const early: FloeError[] = [];
  let report = (problem: FloeError): void => void early.push(problem);
  const engine = new PersistenceEngine(
    host,
    open((problem) => report(problem)),
    { writeAfter, sharing: tabs?.[SHARES](place, (problem) => report(problem)), ...more },
  );
  report = (problem) => engine.session.report(problem);
  early.forEach(report);
  return engine;
}

/** One attachment of several storages: each store is kept in one of them. */
const placesOf = ({ default: usual, stores }: StoragePlaces<Persistence>): Attachment<Persistence> => ({
  [ATTACH]: (host) => {
    const problems: FloeError[] = [];
    const engines = new Map<unknown, { readonly engine: PersistenceEngine; readonly others: StoredTexts[] }>();
    const engineOf = (storage: Attachment<unknown>): PersistenceEngine => {
      const known = engines.get(storage);
      if (known) return known.engine;
      const others: StoredTexts[] = [];
      const engine = (storage as Storage)[ENGINE](host, { others, problems });
      engines.set(storage, { engine, others });
      return engine;
    };
    const first = engineOf(usual);
    const byStore = new Map(stores.map(([store, storage]) => [definitionOf(store).name, engineOf(storage)]));
    const all = [...engines.values()];
    for (const { engine, others } of all)
      others.push(...all.filter((other) => other.engine !== engine).map((other) => other.engine.storedTexts));
    return faced(host, new Places(first, byStore, problems));
  },
});
