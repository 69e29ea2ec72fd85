// One owner of a folder: a file that names it. Who died without letting go is found out by its process, and its place is
// taken at once. Files are numbered: to take the place of a dead owner is to make the next number, which only one can do.
import { linkSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { hostname } from 'node:os';
import { join } from 'node:path';
import { randomUUID } from 'node:crypto';
import { storageInUse } from './errors.js';

interface Owner {
  readonly process: number;
  readonly host: string;
  readonly since: string;
  /** Tells runtimes of one process apart. */
  readonly token: string;
}

const LOCK = /^owner\.([0-9]+)$/;
const MOST_TRIES = 20;

/** Tokens of this process that are held. */
const held = new Set<string>();

/**
 * Makes this process the owner of a folder.
 * @returns a function that lets go
 * @throws FLOE_STORAGE_IN_USE when it has another owner
 */
export function lockFolder(folder: string): () => void {
  mkdirSync(folder, { recursive: true });
  const own: Owner = { process: process.pid, host: hostname(), since: new Date().toISOString(), token: randomUUID() };
  for (let i = 0; i < MOST_TRIES; i++) {
    const before = locksIn(folder);
    for (const lock of before) if (lock.owner && isAlive(lock.owner)) throw storageInUse(folder, lock.owner);
    const number = Math.max(0, ...before.map((lock) => lock.number)) + 1;
    if (!make(folder, number, own)) continue;
    // Somebody may have begun anew meanwhile, with another number.
    const other = locksIn(folder).find(({ owner }) => owner && owner.token !== own.token && isAlive(owner));
    if (other) {
      rmSync(pathOf(folder, number), { force: true });
      continue;
    }
    for (const lock of before) rmSync(pathOf(folder, lock.number), { force: true });
    held.add(own.token);
    return () => {
      if (held.delete(own.token)) rmSync(pathOf(folder, number), { force: true });
    };
  }
  throw storageInUse(folder, undefined);
}

const pathOf = (folder: string, number: number): string => join(folder, `owner.${number}`);

/** Makes a file with all that it says at once; `false` where there is one. */
function make(folder: string, number: number, owner: Owner): boolean {
  const beside = join(folder, `${owner.token}.new`);
  writeFileSync(beside, JSON.stringify(owner));
  try {
    linkSync(beside, pathOf(folder, number));
    return true;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') return false;
    throw error;
  } finally {
    rmSync(beside, { force: true });
  }
}

interface Lock {
  readonly number: number;
  readonly owner: Owner | undefined;
}

function locksIn(folder: string): Lock[] {
  return readdirSync(folder).flatMap((name): Lock[] => {
    const number = LOCK.exec(name)?.[1];
    if (number === undefined) return [];
    try {
      return [{ number: Number(number), owner: JSON.parse(readFileSync(join(folder, name), 'utf8')) as Owner }];
    } catch {
      // Gone meanwhile, or not ours.
      return [{ number: Number(number), owner: undefined }];
    }
  });
}

/** Whether an owner may still be there; of another machine nobody here can tell. */
function isAlive(owner: Owner): boolean {
  if (owner.host !== hostname()) return true;
  if (owner.process === process.pid) return held.has(owner.token);
  try {
    process.kill(owner.process, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}
