import { checkOptions, rebasing } from '../core/internal.js';
import { openDB, type IDBPDatabase } from 'idb';
import type { Attachment } from '../core/index.js';
import { beginsWith, memoryArea, StorageConflict, type Beginning, type StorageArea } from './area.js';
import { storageBlocked } from './errors.js';
import { whenPageEnds } from './page.js';
import type { Persistence } from './persistence.js';
import { makeStorage, type StorageOptions, type TabOptions } from './storage.js';

/** How state is kept in an IndexedDB database. */
export interface IndexedDbStorageOptions extends StorageOptions, TabOptions {
  /** The name of the database; it is made when it is missing. */
  readonly name: string;
}

/** What a transaction stored is on the disk when it is done: browsers do less by themselves, and a power cut takes that. */
const ON_DISK = { durability: 'strict' } as const;
const TEXTS = 'texts';

/**
 * So many characters are kept as a `Blob`: it comes piece by piece, and what is done with one piece takes no time of its own
 * as long as others are on their way. When the page may end at any moment they are kept as a text: a `Blob` would still have
 * to be carried over.
 */
const LONG = 500_000;
/** A `Blob` cannot be read while a transaction waits: its type says how it begins. */
const TYPE = 'application/jsonl; begins=';
const HEAD_LENGTH = '{"sum":"12345678"'.length;

/** Whether a stored value begins as given; of a `Blob` without that note it is not known. */
function stillBegins(found: string | Blob | undefined, begins: string | undefined): boolean {
  if (typeof found !== 'object') return beginsWith(found, begins);
  if (begins === undefined) return false;
  return !found.type.startsWith(TYPE) || begins.startsWith(found.type.slice(TYPE.length));
}

const isHidden = (): boolean => globalThis.document?.visibilityState === 'hidden';

async function textOf(blob: Blob, onBytes?: (bytes: Uint8Array) => void): Promise<string> {
  if (!onBytes) return blob.text();
  const reader = blob.stream().getReader();
  const decoder = new TextDecoder('utf-8', { ignoreBOM: true });
  let text = '';
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return text + decoder.decode();
    onBytes(value);
    text += decoder.decode(value, { stream: true });
  }
}

/**
 * Keeps state in an IndexedDB database: for states of many megabytes. What is stored is there a moment after the start: see
 * `runtime.ready`. Where the browser forbids it, state is kept in memory and the problem is reported.
 * @example
 * createRuntime({ stores: [visits], storage: indexedDbStorage({ name: 'harbour' }) });
 */
export const indexedDbStorage = (options: IndexedDbStorageOptions): Attachment<Persistence> => {
  checkOptions('indexedDbStorage', options, ['name', 'writeAfter', 'tabs']);
  return makeStorage(
    (report) => {
      const instead = memoryArea();
      const area = indexedDbArea(options.name);
      // Whether it is blocked shows only when it is opened.
      let chosen: Promise<StorageArea> | undefined;
      const choose = (): Promise<StorageArea> =>
        (chosen ??= area.open().then(
          () => area,
          (cause: unknown) => {
            report(storageBlocked(cause));
            return instead;
          },
        ));
      return {
        read: async (key, onBytes) => (await choose()).read(key, onBytes),
        write: async (key, text) => (await choose()).write(key, text),
        writeIf: async (key, text, beginnings, remove) => {
          const one = await choose();
          if (one.writeIf) return one.writeIf(key, text, beginnings, remove);
          for (const other of remove) await one.remove(other);
          return one.write(key, text);
        },
        remove: async (key) => (await choose()).remove(key),
        keys: async () => (await choose()).keys(),
        beforeEnd: whenPageEnds,
        close: () => area.close(),
      };
    },
    options,
    { place: `indexed-db ${options.name}`, late: rebasing },
  );
};

class Database {
  private opened: Promise<IDBPDatabase> | undefined;

  constructor(private readonly name: string) {}

  open(): Promise<IDBPDatabase> {
    return (this.opened ??= openDB(this.name, 1, {
      upgrade: (fresh) => void fresh.createObjectStore(TEXTS),
      // Another page deletes the database, or another version of Floe needs it: it is opened again at the next need.
      blocking: () => this.close(),
      terminated: () => {
        this.opened = undefined;
      },
    }).catch((cause: unknown) => {
      this.opened = undefined;
      throw cause;
    }));
  }

  close(): void {
    void this.opened?.then((opened) => opened.close());
    this.opened = undefined;
  }

  /**
   * @param beginnings what other texts have to begin with, or nothing is written
   * @param remove keys of texts that go in the same transaction
   * @throws StorageConflict
   */
  async put(
    key: string,
    value: string | Blob,
    beginnings: readonly Beginning[],
    remove: readonly string[],
  ): Promise<void> {
    const transaction = (await this.open()).transaction(TEXTS, 'readwrite', ON_DISK);
    const { store } = transaction;
    for (const { key: other, begins } of beginnings) {
      const found = (await store.get(other)) as string | Blob | undefined;
      if (stillBegins(found, begins)) continue;
      await transaction.done;
      throw new StorageConflict(`another session has written '${other}' meanwhile`);
    }
    await Promise.all([store.put(value, key), ...remove.map((other) => store.delete(other)), transaction.done]);
  }
}

/**
 * An area in an IndexedDB database.
 * @example
 * const area = indexedDbArea('harbour');
 */
export function indexedDbArea(name: string) {
  const database = new Database(name);
  const write = async (
    key: string,
    text: string,
    beginnings: readonly Beginning[] = [],
    remove: readonly string[] = [],
  ): Promise<void> => {
    if (text.length < LONG || isHidden()) return database.put(key, text, beginnings, remove);
    // Some browsers keep none in private windows.
    const blob = new Blob([text], { type: TYPE + text.slice(0, HEAD_LENGTH) });
    return database.put(key, blob, beginnings, remove).catch((cause: unknown) => {
      if (cause instanceof StorageConflict) throw cause;
      return database.put(key, text, beginnings, remove);
    });
  };
  return {
    /** Whether it can be used at all shows here. */
    open: async (): Promise<void> => {
      await database.open();
    },
    read: async (key: string, onBytes?: (bytes: Uint8Array) => void) => {
      const found = (await (await database.open()).get(TEXTS, key)) as string | Blob | undefined;
      return typeof found === 'object' ? textOf(found, onBytes) : found;
    },
    write: async (key: string, text: string) => write(key, text),
    writeIf: write,
    remove: async (key: string) => {
      const transaction = (await database.open()).transaction(TEXTS, 'readwrite', ON_DISK);
      await Promise.all([transaction.store.delete(key), transaction.done]);
    },
    keys: async () => (await (await database.open()).getAllKeys(TEXTS)) as string[],
    close: () => database.close(),
  } satisfies StorageArea & { open(): Promise<void> };
}
