// The place on the device: texts under keys, and everything that can go wrong with them.
import type { MaybeAsync, StorageArea } from 'floe/persist';
import type { Library } from '../library.js';

export const DISK_STATES = ['fine', 'failing', 'hanging', 'full', 'forbidden'] as const;
export type DiskState = (typeof DISK_STATES)[number];

/** As many characters fit where the disk is full. */
const ROOM = 60;

interface Call {
  readonly owner: object;
  readonly isWrite: boolean;
  readonly serve: () => void;
}

export class Disk {
  readonly texts = new Map<string, string>();
  state: DiskState = 'fine';
  /** So many of the next writes are done, but whoever asked for them gets an error. */
  losing = 0;
  /** A session that had given up was served: the others may not have read what it wrote then. */
  hasWrittenLate = false;
  private queue: Call[] = [];

  /** @param later it answers when it is served, and writes only over what a writer knows, as a database does */
  constructor(
    private readonly later: boolean,
    private readonly floe: Library,
  ) {}

  area(owner: object): StorageArea {
    const { texts } = this;
    const call = <T>(fn: () => T, isWrite = false): MaybeAsync<T> => this.call(owner, fn, isWrite);
    return {
      read: (key) => call(() => texts.get(key)),
      write: (key, text) => call(() => this.write(key, text), true),
      remove: (key) => call(() => void texts.delete(key), true),
      keys: () => call(() => [...texts.keys()]),
      ...(this.later && {
        writeIf: (key, text, beginnings, remove) =>
          call(() => {
            const isAsKnown = ({ key: at, begins }: (typeof beginnings)[number]): boolean =>
              begins === undefined ? !texts.has(at) : texts.get(at)?.startsWith(begins) === true;
            if (!beginnings.every(isAsKnown)) throw new this.floe.StorageConflict('another session has written it');
            for (const other of remove) texts.delete(other);
            this.write(key, text);
          }, true),
      }),
    };
  }

  private write(key: string, text: string): void {
    if (this.state === 'full' && text.length > ROOM) throw new Error('the quota is exceeded');
    this.texts.set(key, text);
    if (this.losing === 0) return;
    this.losing--;
    throw new Error('the connection was reset');
  }

  private call<T>(owner: object, fn: () => T, isWrite: boolean): MaybeAsync<T> {
    if (this.state === 'forbidden') throw new Error('access is denied');
    const done = (): T => {
      if (this.state === 'failing' || this.state === 'forbidden') throw new Error('the disk cannot be read');
      return fn();
    };
    if (!this.later) {
      if (this.state === 'hanging') throw new Error('the disk is busy');
      return done();
    }
    return new Promise<T>((resolve, reject) => {
      const serve = (): void => {
        try {
          resolve(done());
        } catch (error) {
          reject(error as Error);
        }
      };
      this.queue.push({ owner, isWrite, serve });
    });
  }

  /** A write is under way. */
  get isWriting(): boolean {
    return this.queue.some(({ isWrite }) => isWrite);
  }

  /** Answers the oldest call that is not of a frozen session. Returns whether there was one. */
  serve(isFrozen: (owner: object) => boolean, isOver: (owner: object) => boolean): boolean {
    if (this.state === 'hanging') return false;
    const next = this.queue.find(({ owner }) => !isFrozen(owner));
    if (!next) return false;
    this.queue = this.queue.filter((one) => one !== next);
    this.hasWrittenLate ||= next.isWrite && isOver(next.owner);
    next.serve();
    return true;
  }

  /** What a session that crashed asked for is never done. */
  drop(owner: object): void {
    this.queue = this.queue.filter((one) => one.owner !== owner);
  }

  /** Cuts a stored text short, or spoils a character. Returns whether there was one. */
  damage(which: number): boolean {
    const keys = [...this.texts.keys()];
    if (keys.length === 0) return false;
    const key = keys[which % keys.length];
    const stored = this.texts.get(key)!;
    const at = which % Math.max(1, stored.length);
    this.texts.set(key, which % 2 === 0 ? stored.slice(0, at) : `${stored.slice(0, at)}#${stored.slice(at + 1)}`);
    return true;
  }
}
