import { openDB, type IDBPDatabase } from 'idb';
import type { Attachment } from '../core/index.js';
import { memoryArea, type StorageArea } from './area.js';
import { storageBlocked } from './errors.js';
import { whenPageEnds } from './page.js';
import { storageIn, type Persistence, type StorageOptions, type TabOptions } from './persistence.js';
import { sharedTabs } from './tab-link.js';

/** How state is kept in an IndexedDB database. */
export interface IndexedDbStorageOptions extends StorageOptions, TabOptions {
  /** The name of the database; it is made when it is missing. */
  readonly name: string;
}

const TEXTS = 'texts';

/**
 * Keeps state in an IndexedDB database: for states of many megabytes. What is stored is there a moment after the start: see
 * `persistence.ready`. Where the browser forbids it, state is kept in memory and the problem is reported.
 * @example
 * createRuntime({ stores: [visits], storage: indexedDbStorage({ name: 'harbour' }) });
 */
export const indexedDbStorage = (options: IndexedDbStorageOptions): Attachment<Persistence> =>
  storageIn(
    (report) => {
      const instead = memoryArea();
      const area = indexedDbArea(options.name);
      // Whether it is blocked shows only when it is opened.
      let chosen: Promise<StorageArea> | undefined;
      const choose = (): Promise<StorageArea> =>
        (chosen ??= Promise.resolve(area.keys()).then(
          () => area,
          (cause: unknown) => {
            report(storageBlocked(cause));
            return instead;
          },
        ));
      return {
        read: async (key) => (await choose()).read(key),
        write: async (key, text) => (await choose()).write(key, text),
        remove: async (key) => (await choose()).remove(key),
        keys: async () => (await choose()).keys(),
        beforeEnd: whenPageEnds,
        close: () => area.close(),
      };
    },
    { ...options, tabs: options.shareTabs ? sharedTabs(`indexed-db ${options.name}`) : undefined },
  );

/** An area in an IndexedDB database. */
export function indexedDbArea(name: string) {
  let database: Promise<IDBPDatabase> | undefined;
  const open = (): Promise<IDBPDatabase> =>
    (database ??= openDB(name, 1, {
      upgrade: (fresh) => void fresh.createObjectStore(TEXTS),
      // Somebody deletes it, or another version of Floe needs it: it is opened anew at the next need.
      blocking: () => close(),
      terminated: () => {
        database = undefined;
      },
    }).catch((cause: unknown) => {
      database = undefined;
      throw cause;
    }));
  const close = (): void => {
    void database?.then((opened) => opened.close());
    database = undefined;
  };
  return {
    read: async (key: string) => (await (await open()).get(TEXTS, key)) as string | undefined,
    write: async (key: string, text: string) => {
      const transaction = (await open()).transaction(TEXTS, 'readwrite');
      await Promise.all([transaction.store.put(text, key), transaction.done]);
    },
    remove: async (key: string) => {
      const transaction = (await open()).transaction(TEXTS, 'readwrite');
      await Promise.all([transaction.store.delete(key), transaction.done]);
    },
    keys: async () => (await (await open()).getAllKeys(TEXTS)) as string[],
    close,
  } satisfies StorageArea;
}
