// One owner of a folder: a file that names it. Who died without letting go is found out by its process, and its place is
// taken at once. Files are numbered: to take the place of a dead owner is to make the next number, which only one can do.
import {
  closeSync,
  existsSync,
  linkSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { hostname } from 'node:os';
import { join } from 'node:path';
import { randomUUID } from 'node:crypto';
import { threadId } from 'node:worker_threads';
import { FloeError } from '../../core/internal.js';
import { storageInUse } from './errors.js';

interface LockOwner {
  readonly process: number;
  readonly host: string;
  readonly since: string;
  /** Which thread of the process. */
  readonly thread: number;
  /** When the process began, by the system: another process may have got its number since. Absent where the system does not say. */
  readonly started?: string;
  /** Tells runtimes of one process apart. */
  readonly token: string;
}

const LOCK = /^owner\.([0-9]+)$/;
const MOST_TRIES = 20;

/** Tokens of this thread that are held. */
const held = new Set<string>();

/** Where the system lists the open files of a process: a thread that ended has none. */
const OPEN_FILES = '/proc/self/fd';

/** Makes this thread the owner of a folder, as long as it is not released. */
export class FolderLock {
  private readonly own: LockOwner;
  private number: number | undefined;
  /** Shows other threads of the process that this one is still there. */
  private file: OpenFile | undefined;

  /** @throws FLOE_STORAGE_IN_USE when the folder has another owner. Where it cannot be written, `ensure` tries again */
  constructor(
    private readonly folder: string,
    private readonly mode: number,
  ) {
    const [process_, host, since] = [process.pid, hostname(), new Date().toISOString()];
    const started = startOf(process_);
    this.own = {
      ...{ process: process_, thread: threadId, host, since, token: randomUUID() },
      ...(started !== undefined && { started }),
    };
    try {
      this.take();
    } catch (error) {
      if (error instanceof FloeError) throw error;
    }
  }

  /**
   * Takes the folder where it is not held yet, or where it was removed meanwhile.
   * @throws FLOE_STORAGE_IN_USE, or what the file system says
   */
  ensure(): void {
    if (!this.isHeld) this.take();
  }

  /** The folder may have been removed, and taken by another session that counts from 1 again. */
  private get isHeld(): boolean {
    if (this.number === undefined) return false;
    try {
      return readFileSync(pathOf(this.folder, this.number), 'utf8').includes(this.own.token);
    } catch {
      return false;
    }
  }

  release(): void {
    if (this.number === undefined) return;
    const { isHeld } = this;
    this.leave();
    held.delete(this.own.token);
    if (isHeld) rmSync(pathOf(this.folder, this.number), { force: true });
    this.number = undefined;
  }

  private leave(): void {
    this.file?.close();
    this.file = undefined;
  }

  private take(): void {
    const { folder, mode, own } = this;
    this.leave();
    this.number = undefined;
    mkdirSync(folder, { recursive: true, mode: folderMode(mode) });
    for (let i = 0; i < MOST_TRIES; i++) {
      const before = locksIn(folder);
      for (const lock of before) if (lock.owner && isAlive(folder, lock)) throw storageInUse(folder, lock.owner);
      const number = Math.max(0, ...before.map((lock) => lock.number)) + 1;
      const file = make(folder, number, own, mode);
      if (!file) continue;
      // Another process may have taken it meanwhile, with another number.
      const other = locksIn(folder).find(
        (lock) => lock.owner && lock.owner.token !== own.token && isAlive(folder, lock),
      );
      if (other) {
        file.close();
        rmSync(pathOf(folder, number), { force: true });
        continue;
      }
      for (const lock of before) rmSync(pathOf(folder, lock.number), { force: true });
      held.add(own.token);
      this.number = number;
      this.file = file;
      return;
    }
    throw storageInUse(folder, undefined);
  }
}

const pathOf = (folder: string, number: number): string => join(folder, `owner.${number}`);

/** An owner keeps its file open, for the other threads of its process to see. */
interface OpenFile {
  close(): void;
}

/** Makes a file with all that it says at once; nothing where there is one. */
function make(folder: string, number: number, owner: LockOwner, mode: number): OpenFile | undefined {
  const beside = join(folder, `${owner.token}.new`);
  let file: number | undefined;
  const close = (): void => {
    if (file !== undefined) closeSync(file);
    file = undefined;
  };
  try {
    writeFileSync(beside, JSON.stringify(owner), { mode });
    // Open before it has its name: from then on another thread may ask.
    if (existsSync(OPEN_FILES)) file = openSync(beside, 'r');
    linkSync(beside, pathOf(folder, number));
    return { close };
  } catch (error) {
    close();
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') return undefined;
    throw error;
  } finally {
    rmSync(beside, { force: true });
  }
}

interface Lock {
  readonly number: number;
  readonly owner: LockOwner | undefined;
}

function locksIn(folder: string): Lock[] {
  return readdirSync(folder).flatMap((name): Lock[] => {
    const number = LOCK.exec(name)?.[1];
    if (number === undefined) return [];
    try {
      return [{ number: Number(number), owner: JSON.parse(readFileSync(join(folder, name), 'utf8')) as LockOwner }];
    } catch {
      // Gone meanwhile, or not ours.
      return [{ number: Number(number), owner: undefined }];
    }
  });
}

/** Whether an owner may still be there; of another machine that is not known here. */
function isAlive(folder: string, { number, owner }: Lock): boolean {
  const { host, process: id, thread, token, started } = owner!;
  if (host !== hostname()) return true;
  if (id === process.pid) return thread === threadId ? held.has(token) : isOpen(pathOf(folder, number));
  // The number of a process that was killed is given to another one, in a container at once.
  if (started !== undefined) return startOf(id) === started;
  try {
    process.kill(id, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}

/** When a process began, in ticks of the system (proc(5), `/proc/PID/stat`); nothing where it is not there, or not told. */
function startOf(id: number): string | undefined {
  try {
    const stat = readFileSync(`/proc/${id}/stat`, 'utf8');
    // The name of the program stands in parentheses, and may hold spaces.
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19];
  } catch {
    return undefined;
  }
}

/** The folder of files with these permissions: who may read may search it. */
export const folderMode = (mode: number): number => mode | ((mode & 0o444) >> 2);

/** Whether a thread of this process has a file open; where the system does not say so, it may have. */
function isOpen(path: string): boolean {
  if (!existsSync(OPEN_FILES)) return true;
  const { dev, ino } = statSync(path);
  return readdirSync(OPEN_FILES).some((file) => {
    try {
      const open = statSync(join(OPEN_FILES, file));
      return open.ino === ino && open.dev === dev;
    } catch {
      // Closed meanwhile.
      return false;
    }
  });
}
