// floe/persist/node: files, for Node.js.
import {
  closeSync,
  fsyncSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import type { Attachment } from '../../core/index.js';
import type { StorageArea } from '../area.js';
import { storageIn, type Persistence } from '../persistence.js';

const ENDING = '.json';

/**
 * Keeps state in a folder, one file a store. The folder is made when it is missing.
 * @example
 * createRuntime({ stores: [notes], storage: fileStorage({ folder: 'state' }) });
 */
export const fileStorage = ({ folder }: { readonly folder: string }): Attachment<Persistence> =>
  storageIn(() => fileArea(folder));

/** An area in a folder. A file is written beside the old one, then put in its place: it is never half-written. */
export function fileArea(folder: string): StorageArea {
  const pathOf = (key: string): string => join(folder, encodeURIComponent(key) + ENDING);
  return {
    read(key) {
      try {
        return readFileSync(pathOf(key), 'utf8');
      } catch (error) {
        if (isMissing(error)) return undefined;
        throw error;
      }
    },
    write(key, text) {
      mkdirSync(folder, { recursive: true });
      const path = pathOf(key);
      const file = openSync(`${path}.new`, 'w');
      try {
        writeSync(file, text);
        fsyncSync(file);
      } finally {
        closeSync(file);
      }
      renameSync(`${path}.new`, path);
    },
    remove: (key) => rmSync(pathOf(key), { force: true }),
    keys() {
      try {
        return readdirSync(folder)
          .filter((name) => name.endsWith(ENDING))
          .map((name) => decodeURIComponent(name.slice(0, -ENDING.length)));
      } catch (error) {
        if (isMissing(error)) return [];
        throw error;
      }
    },
  };
}

const isMissing = (error: unknown): boolean => (error as NodeJS.ErrnoException).code === 'ENOENT';
