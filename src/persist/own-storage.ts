import { checkOptions, type FloeError, rebasing } from '../core/internal.js';
import type { Attachment } from '../core/index.js';
import type { StorageArea } from './area.js';
import type { Persistence } from './persistence.js';
import { makeStorage, type StorageOptions, type TabOptions } from './storage.js';

/** For a storage of one's own. Its tabs need a link: `sharedTabs(link)`. */
export type OwnStorageOptions = StorageOptions & TabOptions;

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
  return makeStorage(open, options, { late: rebasing });
};
