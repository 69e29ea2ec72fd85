// A live selection: one source of one runtime, in the forms that other code expects.
import { DEV } from '../base/mode.js';
import { checkOptions } from '../base/options.js';
import type { Read, Source } from '../model/source.js';
import { WATCH_OPTIONS, type InnerWatching, type Watching } from '../reactive/watcher.js';

/** Takes values one by one, as the observer of an observable does. After `error` or `complete` nothing follows. */
export interface Observer<T> {
  next?(value: T): void;
  /** The selector threw. Default: the error is reported to `onProblem`, and the next value follows. */
  error?(error: unknown): void;
  /** The runtime was closed. */
  complete?(): void;
}

/** A live selection: the value of a source, and several ways to be notified of the next ones. */
export interface Selection<T> extends AsyncIterable<T> {
  /** The value now. */
  readonly value: T;
  /** As `runtime.watch`. */
  watch(listener: (now: T, before: T | undefined) => void, options?: Watching): () => void;
  /** Emits the present value at once, then each next one. */
  subscribe(observer: Observer<T> | ((value: T) => void)): { unsubscribe(): void };
}

// Reactive libraries look an observable up under this key; the language has not settled it yet.
const OBSERVABLE = (Symbol as { readonly observable?: symbol }).observable ?? '@@observable';

/** What a selection needs of its runtime. */
export interface SelectionHost {
  readonly read: Read;
  watch(source: Source<unknown>, listener: (now: never, before: never) => void, how?: InnerWatching): () => void;
}

export class LiveSelection<T> implements Selection<T> {
  constructor(
    private readonly host: SelectionHost,
    private readonly source: Source<T>,
  ) {
    Object.defineProperty(this, OBSERVABLE, { value: () => this });
  }

  get value(): T {
    return this.host.read(this.source);
  }

  watch(listener: (now: T, before: T | undefined) => void, options?: Watching): () => void {
    if (DEV) checkOptions('watch', options, WATCH_OPTIONS);
    return this.host.watch(this.source, listener, options);
  }

  subscribe(observer: Observer<T> | ((value: T) => void)): { unsubscribe(): void } {
    const to: Observer<T> = typeof observer === 'function' ? { next: observer } : observer;
    const stops: (() => void)[] = [];
    let ended = false;
    const unsubscribe = (): void => {
      ended = true;
      for (const stop of stops) stop();
    };
    const stop = this.host.watch(this.source, (now) => !ended && to.next?.(now), {
      now: true,
      // An observable that has failed has ended.
      ...(to.error && {
        onError: (error: unknown) => {
          unsubscribe();
          to.error!(error);
        },
      }),
      onEnd: () => to.complete?.(),
    });
    stops.push(stop);
    // The first value may have been an error, before there was anything to stop.
    if (ended) stop();
    return { unsubscribe };
  }

  /**
   * The present value, then the next ones; it ends when the runtime is closed, and throws what the selector throws. A slow
   * reader gets the latest value and misses those in between.
   */
  [Symbol.asyncIterator](): AsyncIterator<T> {
    /** What came since the last value was taken: the latest value, an error, or the end. */
    let latest: Promise<IteratorResult<T>> | undefined;
    const waiting: ((result: Promise<IteratorResult<T>>) => void)[] = [];
    let done = false;
    const give = (result: Promise<IteratorResult<T>>): void => {
      // The reader may never ask for it.
      result.catch(() => undefined);
      const wake = waiting.shift();
      if (wake) wake(result);
      else latest = result;
    };
    const end = (): Promise<IteratorResult<T>> => Promise.resolve({ done: true, value: undefined });
    const finish = (last?: Promise<IteratorResult<T>>): void => {
      done = true;
      if (last) give(last);
      for (const wake of waiting.splice(0)) wake(end());
    };
    const stop = this.host.watch(this.source, (value: T) => give(Promise.resolve({ done: false, value })), {
      now: true,
      onError: (error) => {
        if (!done) finish(Promise.reject(error));
      },
      onEnd: () => finish(),
    });
    return {
      next: () => {
        const result = latest;
        latest = undefined;
        if (result) return result;
        if (done) {
          stop();
          return end();
        }
        return new Promise((resolve) => waiting.push(resolve));
      },
      return: () => {
        stop();
        latest = undefined;
        finish();
        return end();
      },
    };
  }
}
