// A live selection: one source of one runtime, in the forms that other code expects.
import type { Runtime } from './runtime.js';
import type { Source } from './source.js';

/** Takes values one by one, as the observer of an observable does. */
export interface Observer<T> {
  next?(value: T): void;
}

export interface Selection<T> extends AsyncIterable<T> {
  /** The value now. */
  readonly value: T;
  /** As `runtime.watch`. */
  watch(listener: (now: T, before: T | undefined) => void, options?: { readonly now?: boolean }): () => void;
  /** Emits the present value at once, then each next one. */
  subscribe(observer: Observer<T> | ((value: T) => void)): { unsubscribe(): void };
}

// Reactive libraries look an observable up under this key; the language has not settled it yet.
const OBSERVABLE = (Symbol as { readonly observable?: symbol }).observable ?? '@@observable';

export class LiveSelection<T> implements Selection<T> {
  constructor(
    private readonly runtime: Runtime,
    private readonly source: Source<T>,
  ) {
    Object.defineProperty(this, OBSERVABLE, { value: () => this });
  }

  get value(): T {
    return this.runtime.read(this.source);
  }

  watch(listener: (now: T, before: T | undefined) => void, options?: { readonly now?: boolean }): () => void {
    return this.runtime.watch(this.source, listener, options);
  }

  subscribe(observer: Observer<T> | ((value: T) => void)): { unsubscribe(): void } {
    const next = typeof observer === 'function' ? observer : (value: T) => observer.next?.(value);
    return { unsubscribe: this.watch((now) => next(now), { now: true }) };
  }

  /** The present value, then the next ones. Who is slow gets the latest and misses those in between. */
  [Symbol.asyncIterator](): AsyncIterator<T> {
    let latest: { readonly value: T } | undefined;
    let wake: ((result: IteratorResult<T>) => void) | undefined;
    let done = false;
    const stop = this.watch(
      (value) => {
        if (wake) {
          wake({ done: false, value });
          wake = undefined;
        } else latest = { value };
      },
      { now: true },
    );
    return {
      next: () =>
        new Promise((resolve) => {
          if (done) return resolve({ done: true, value: undefined });
          if (latest) {
            resolve({ done: false, value: latest.value });
            latest = undefined;
          } else wake = resolve;
        }),
      return: () => {
        done = true;
        stop();
        wake?.({ done: true, value: undefined });
        return Promise.resolve({ done: true, value: undefined });
      },
    };
  }
}
