import { checkOptions } from '../core/internal.js';
import type { Attachment } from '../core/index.js';
import { memoryArea } from './area.js';
import type { Persistence } from './persistence.js';
import { makeStorage, type StorageOptions } from './storage.js';

/**
 * Keeps state in memory: for tests, and to hand state from one runtime to the next.
 * @param texts what is stored, by key; give the same map to a second runtime to "reload". Default: an empty one
 * @example
 * const texts = new Map();
 * createRuntime({ stores: [log], storage: memoryStorage(texts) });
 */
export const memoryStorage = (texts?: Map<string, string>, options: StorageOptions = {}): Attachment<Persistence> => {
  checkOptions('memoryStorage', options, ['writeAfter']);
  const { writeAfter = 0 } = options;
  const area = memoryArea(texts);
  return makeStorage(() => area, { writeAfter });
};
