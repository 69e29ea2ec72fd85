import { checkOptions, type FloeError } from '../core/internal.js';
import type { Attachment } from '../core/index.js';
import { memoryArea, type StorageArea } from './area.js';
import { storageBlocked } from './errors.js';
import { whenPageEnds, whenStored } from './page.js';
import type { Persistence } from './persistence.js';
import { makeStorage, type StorageOptions, type TabOptions } from './storage.js';

/** How state is kept in the browser's Web Storage. */
export interface WebStorageOptions extends StorageOptions {
  /** Goes before each key, so that applications at one address do not meet. */
  readonly prefix: string;
}

/**
 * Keeps state in the browser's Web Storage: `local` outlives the browser, `session` lives as long as the tab. It is there
 * before the first read. Browsers give some megabytes; for more there is `indexedDbStorage`.
 * Where the browser forbids it, state is kept in memory and the problem is reported.
 * @example
 * createRuntime({ stores: [notes], storage: webStorage('local', { prefix: 'harbour', tabs: sharedTabs() }) });
 */
export function webStorage(kind: 'local', options: WebStorageOptions & TabOptions): Attachment<Persistence>;
export function webStorage(kind: 'local' | 'session', options: WebStorageOptions): Attachment<Persistence>;
export function webStorage(
  kind: 'local' | 'session',
  options: WebStorageOptions & TabOptions,
): Attachment<Persistence> {
  checkOptions('webStorage', options, ['prefix', 'writeAfter', ...(kind === 'local' ? ['tabs'] : [])]);
  const { prefix, writeAfter, tabs } = options;
  const open = (report: (problem: FloeError) => void): StorageArea => {
    try {
      const storage = kind === 'local' ? globalThis.localStorage : globalThis.sessionStorage;
      // A blocked storage may be there and throw only when used.
      storage.getItem(`${prefix}:`);
      return webArea(storage, `${prefix}:`);
    } catch (cause) {
      report(storageBlocked(cause));
      return memoryArea();
    }
  };
  return makeStorage(open, { writeAfter, tabs: kind === 'local' ? tabs : undefined }, { place: `web ${prefix}` });
}

/**
 * An area in a Web Storage object.
 * @example
 * const area = webArea(localStorage, 'harbour:');
 */
export const webArea = (storage: Storage, prefix: string) =>
  ({
    read: (key: string): string | undefined => storage.getItem(prefix + key) ?? undefined,
    write: (key: string, text: string): void => storage.setItem(prefix + key, text),
    remove: (key: string): void => storage.removeItem(prefix + key),
    keys: (): readonly string[] =>
      Array.from({ length: storage.length }, (_, i) => storage.key(i) ?? '')
        .filter((key) => key.startsWith(prefix))
        .map((key) => key.slice(prefix.length)),
    beforeEnd: whenPageEnds,
    // Browsers give each page its own view of the storage, and bring the views together a moment later.
    watch(changed: (key: string) => void): () => void {
      return whenStored((area, key) => {
        if (area === storage && key?.startsWith(prefix)) changed(key.slice(prefix.length));
      });
    },
  }) satisfies StorageArea;
