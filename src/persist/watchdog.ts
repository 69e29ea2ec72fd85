// A storage may hang: answer neither with a value nor with an error. What it was asked stays asked, since a late write must
// not come after a newer one; but callers get an answer.
import { isThenable } from '../core/internal.js';
import type { MaybeAsync, StorageArea } from './area.js';

/** Milliseconds of the runtime's clock after which a storage counts as hanging. */
const TIME_LIMIT = 10_000;

export class Watchdog {
  /** How many calls have not been answered in time. */
  private hanging = 0;
  private readonly waiting = new Set<() => void>();

  /** @param report called when a call is not answered in time, while no other one hangs */
  constructor(
    private readonly after: (ms: number, fn: () => void) => () => void,
    private readonly report: (what: string) => void,
  ) {}

  /** The same area; each call that takes too long is noticed. */
  watched(area: StorageArea): StorageArea {
    const { append, writeIf, keepBytes, isShared } = area;
    return {
      read: (key, onBytes) => this.note(area.read(key, onBytes), `reading '${key}'`),
      write: (key, text) => this.note(area.write(key, text), `writing '${key}'`),
      remove: (key) => this.note(area.remove(key), `removing '${key}'`),
      keys: () => this.note(area.keys(), 'listing the keys'),
      ...(append && { append: (key, text) => this.note(append.call(area, key, text), `writing '${key}'`) }),
      ...(writeIf && {
        writeIf: (key, text, beginnings, remove) =>
          this.note(writeIf.call(area, key, text, beginnings, remove), `writing '${key}'`),
      }),
      ...(keepBytes && { keepBytes: (key, aside) => this.note(keepBytes.call(area, key, aside), `copying '${key}'`) }),
      ...(isShared !== undefined && { isShared }),
    };
  }

  private note<T>(value: MaybeAsync<T>, what: string): MaybeAsync<T> {
    if (!isThenable(value)) return value;
    let isLate = false;
    const stop = this.after(TIME_LIMIT, () => {
      isLate = true;
      if (this.hanging++ === 0) this.report(what);
      for (const give of [...this.waiting]) give();
    });
    const over = (): void => {
      stop();
      if (isLate) this.hanging--;
    };
    value.then(over, over);
    return value;
  }

  /** The result, or `otherwise` when the storage hangs. */
  async limit<T>(work: MaybeAsync<T>, otherwise: T): Promise<T> {
    if (!isThenable(work)) return work;
    return new Promise<T>((resolve, reject) => {
      const give = (): void => resolve(otherwise);
      // A call that hung before may be of another store: then this work has its own time.
      const stop = this.hanging > 0 ? this.after(TIME_LIMIT, give) : undefined;
      this.waiting.add(give);
      const over = (): void => {
        stop?.();
        this.waiting.delete(give);
      };
      work.then(
        (value) => {
          over();
          resolve(value);
        },
        (error: unknown) => {
          over();
          reject(error);
        },
      );
    });
  }
}
