import { checkOptions } from '../../core/internal.js';
import {
  chmodSync,
  closeSync,
  constants,
  copyFileSync,
  fstatSync,
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
import { makeStorage, type Persistence, type StorageArea, type StorageOptions } from '../internal.js';
import { whenProcessEnds } from './endings.js';
import { folderMode, FolderLock } from './lock.js';

/** How state is kept in files. */
export interface FileStorageOptions extends StorageOptions {
  /** The folder; it is made when it is missing. One process at a time keeps its state there. */
  readonly folder: string;
  /**
   * Who may read and write the files: permission bits, as for `chmod`. A folder that is made can be searched by those who may read.
   * Default: `0o600`, their owner alone.
   */
  readonly mode?: number;
}

const ENDING = '.jsonl';
/** A file that is no text, as it was. */
const BYTES_ENDING = '.bytes';

/**
 * Keeps state in a folder, one file a store: the whole state, then a line for each change. It is there before the first
 * read, and what was written survives the end of the process, and of the machine. Changes that are still gathered are
 * written when the process exits, and when SIGTERM, SIGINT or SIGHUP comes; the application's own listeners then decide
 * what the signal does.
 *
 * Where the folder cannot be written (a full disk, a folder that may only be read), what is stored there is read all the
 * same, and writing is a problem that is reported and tried again.
 * @throws FLOE_STORAGE_IN_USE when another process, thread or runtime keeps its state there
 * @example
 * createRuntime({ stores: [notes], storage: fileStorage({ folder: 'state' }) });
 */
export const fileStorage = (options: FileStorageOptions): Attachment<Persistence> => {
  checkOptions('fileStorage', options, ['folder', 'mode', 'writeAfter']);
  return makeStorage(
    () => {
      const { folder, mode = PRIVATE } = options;
      const lock = new FolderLock(folder, mode);
      const area = fileArea(folder, mode);
      const owned =
        <A extends unknown[]>(fn: (...args: A) => void) =>
        (...args: A): void => {
          lock.ensure();
          fn(...args);
        };
      return {
        ...area,
        write: owned(area.write),
        append: owned(area.append),
        remove: owned(area.remove),
        keepBytes: owned(area.keepBytes),
        beforeEnd: whenProcessEnds,
        close: () => lock.release(),
      };
    },
    { writeAfter: options.writeAfter },
  );
};

/** Permission bits: the owner alone. */
export const PRIVATE = 0o600;

/**
 * An area in a folder. A file is written beside the old one, then put in its place: it is never half-written.
 * @param mode permission bits of the files
 * @example
 * const area = fileArea('./kept');
 */
export function fileArea(folder: string, mode = PRIVATE) {
  const pathOf = (key: string, ending = ENDING): string => join(folder, encodeURIComponent(key) + ending);
  /** How long each file was when this area read or wrote it last, in bytes. */
  const sizes = new Map<string, number>();
  return {
    read(key: string): string | undefined {
      const bytes = readIfThere(pathOf(key));
      sizes.set(key, bytes?.length ?? 0);
      return bytes?.toString('utf8');
    },
    write(key: string, text: string): void {
      mkdirSync(folder, { recursive: true, mode: folderMode(mode) });
      const path = pathOf(key);
      const size = writeDown(`${path}.new`, text, { how: 'w', mode });
      renameSync(`${path}.new`, path);
      sizes.set(key, size);
      syncFolder(folder);
    },
    append(key: string, text: string): void {
      const size = sizes.get(key);
      // A file that was removed, or put in the place of the one that this area knows, is no beginning for what is added.
      const how = size === undefined ? 'a' : constants.O_WRONLY | constants.O_APPEND;
      // Until it is written completely the length of the file is not known.
      sizes.set(key, NaN);
      sizes.set(key, writeDown(pathOf(key), text, { how, mode, expected: size }));
    },
    remove(key: string): void {
      sizes.delete(key);
      for (const ending of [ENDING, BYTES_ENDING]) rmSync(pathOf(key, ending), { force: true });
    },
    keepBytes(key: string, aside: string): void {
      copyFileSync(pathOf(key), pathOf(aside, BYTES_ENDING));
      chmodSync(pathOf(aside, BYTES_ENDING), mode);
    },
    keys(): readonly string[] {
      const names = new Set<string>();
      for (const name of filesIn(folder)) {
        const key = name.endsWith(ENDING) ? keyIn(name.slice(0, -ENDING.length)) : undefined;
        if (key !== undefined) names.add(key);
      }
      return [...names];
    },
  } satisfies StorageArea;
}

/** The key in the name of a file; nothing where no key has that name: the file is not Floe's. */
function keyIn(name: string): string | undefined {
  try {
    const key = decodeURIComponent(name);
    return encodeURIComponent(key) === name ? key : undefined;
  } catch {
    return undefined;
  }
}

/** How a text is written. */
interface FileWriting {
  /** The flags with which the file is opened. */
  readonly how: string | number;
  /** Permission bits of a file that is made. */
  readonly mode: number;
  /** How long the file should be before, in bytes. Default: however long it is. */
  readonly expected?: number | undefined;
}

/**
 * Writes a text and waits until the disk has it.
 * @returns how long the file is now, in bytes
 */
function writeDown(path: string, text: string, { how, mode, expected }: FileWriting): number {
  const file = openSync(path, how, mode);
  try {
    const before = how === 'w' ? 0 : fstatSync(file).size;
    if (expected !== undefined && before !== expected) throw new Error(`something else has changed '${path}'`);
    const bytes = Buffer.from(text);
    // A large text may be taken in several pieces.
    for (let at = 0; at < bytes.length;) at += writeSync(file, bytes, at);
    fsyncSync(file);
    return before + bytes.length;
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

function readIfThere(path: string): Buffer | undefined {
  try {
    return readFileSync(path);
  } catch (error) {
    if (isMissing(error)) return undefined;
    throw error;
  }
}

function filesIn(folder: string): string[] {
  try {
    // A folder is nothing of ours, whatever its name.
    return readdirSync(folder, { withFileTypes: true })
      .filter((entry) => !entry.isDirectory())
      .map(({ name }) => name);
  } catch (error) {
    if (isMissing(error)) return [];
    throw error;
  }
}
