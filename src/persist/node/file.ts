import { checkOptions } from '../../core/options.js';
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
import { storageIn, type Persistence, type StorageOptions } from '../persistence.js';
import { lockFolder } from './lock.js';

/** How state is kept in files. */
export interface FileStorageOptions extends StorageOptions {
  /** The folder; it is made when it is missing. One process at a time keeps its state there. */
  readonly folder: string;
}

const ENDING = '.jsonl';
/** What format 1 was kept in. */
const FIRST_ENDING = '.json';

/**
 * Keeps state in a folder, one file a store: the whole state, then a line for each change. It is there before the first
 * read, and what was written survives the end of the process, and of the machine.
 * @throws FLOE_STORAGE_IN_USE when another process, or another runtime, keeps its state there
 * @example
 * createRuntime({ stores: [notes], storage: fileStorage({ folder: 'state' }) });
 */
export const fileStorage = (options: FileStorageOptions): Attachment<Persistence> => {
  checkOptions('fileStorage', options, ['folder', 'writeAfter']);
  return storageIn(
    () => {
      const unlock = lockFolder(options.folder);
      return {
        ...fileArea(options.folder),
        beforeEnd(flush) {
          process.on('exit', flush);
          return () => process.off('exit', flush);
        },
        close: unlock,
      };
    },
    { writeAfter: options.writeAfter },
  );
};

/** An area in a folder. A file is written beside the old one, then put in its place: it is never half-written. */
export function fileArea(folder: string) {
  const pathOf = (key: string, ending = ENDING): string => join(folder, encodeURIComponent(key) + ending);
  return {
    read(key: string): string | undefined {
      return readIfThere(pathOf(key)) ?? readIfThere(pathOf(key, FIRST_ENDING));
    },
    write(key: string, text: string): void {
      mkdirSync(folder, { recursive: true });
      const path = pathOf(key);
      writeDown(`${path}.new`, 'w', text);
      renameSync(`${path}.new`, path);
      syncFolder(folder);
      rmSync(pathOf(key, FIRST_ENDING), { force: true });
    },
    append: (key: string, text: string): void => writeDown(pathOf(key), 'a', text),
    remove(key: string): void {
      for (const ending of [ENDING, FIRST_ENDING]) rmSync(pathOf(key, ending), { force: true });
    },
    keys(): readonly string[] {
      const names = new Set<string>();
      for (const name of filesIn(folder)) {
        const ending = [ENDING, FIRST_ENDING].find((one) => name.endsWith(one));
        const key = ending === undefined ? undefined : keyIn(name.slice(0, -ending.length));
        if (key !== undefined) names.add(key);
      }
      return [...names];
    },
  } satisfies StorageArea;
}

/** The key in the name of a file; nothing where no key has that name: the file is somebody else's. */
function keyIn(name: string): string | undefined {
  try {
    const key = decodeURIComponent(name);
    return encodeURIComponent(key) === name ? key : undefined;
  } catch {
    return undefined;
  }
}

/** Writes a text and waits until the disk has it. */
function writeDown(path: string, how: 'w' | 'a', text: string): void {
  const file = openSync(path, how);
  try {
    const bytes = Buffer.from(text);
    // A large text may be taken in several pieces.
    for (let at = 0; at < bytes.length;) at += writeSync(file, bytes, at);
    fsyncSync(file);
  } finally {
    closeSync(file);
  }
}

/** A name in a folder is on the disk when the folder is. */
function syncFolder(folder: string): void {
  // Windows does not open folders; its file system keeps names by itself.
  if (process.platform === 'win32') return;
  const opened = openSync(folder, 'r');
  try {
    fsyncSync(opened);
  } finally {
    closeSync(opened);
  }
}

const isMissing = (error: unknown): boolean => (error as NodeJS.ErrnoException).code === 'ENOENT';

function readIfThere(path: string): string | undefined {
  try {
    return readFileSync(path, 'utf8');
  } catch (error) {
    if (isMissing(error)) return undefined;
    throw error;
  }
}

function filesIn(folder: string): string[] {
  try {
    return readdirSync(folder);
  } catch (error) {
    if (isMissing(error)) return [];
    throw error;
  }
}
