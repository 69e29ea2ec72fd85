import { memoryArea, type StorageArea } from './area.js';
import { storageBlocked } from './errors.js';
import { storageIn, type Persistence } from './persistence.js';
import type { Attachment } from '../core/index.js';

/** How state is kept in the browser's Web Storage. */
export interface WebStorageOptions {
  /** Goes before each key, so that applications at one address do not meet. */
  readonly prefix: string;
}

/**
 * Keeps state in the browser's Web Storage: `local` outlives the browser, `session` lives as long as the tab.
 * Where the browser forbids it, state is kept in memory and the problem is reported.
 * @example
 * createRuntime({ stores: [notes], storage: webStorage('local', { prefix: 'harbour' }) });
 */
export const webStorage = (kind: 'local' | 'session', { prefix }: WebStorageOptions): Attachment<Persistence> =>
  storageIn((report) => {
    try {
      const storage = kind === 'local' ? globalThis.localStorage : globalThis.sessionStorage;
      // A blocked storage may be there and throw only when used.
      storage.getItem(`${prefix}:`);
      return webArea(storage, `${prefix}:`);
    } catch (cause) {
      report(storageBlocked(cause));
      return memoryArea();
    }
  });

/** An area in a Web Storage object. */
export const webArea = (storage: Storage, prefix: string): StorageArea => ({
  read: (key) => storage.getItem(prefix + key) ?? undefined,
  write: (key, text) => storage.setItem(prefix + key, text),
  remove: (key) => storage.removeItem(prefix + key),
  keys: () =>
    Array.from({ length: storage.length }, (_, i) => storage.key(i) ?? '')
      .filter((key) => key.startsWith(prefix))
      .map((key) => key.slice(prefix.length)),
});
