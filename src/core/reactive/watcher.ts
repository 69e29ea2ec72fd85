// One registered watcher: what it was notified of last, and where its errors go.
import { probe } from './probe.js';

/** How a watcher is notified. */
export interface Watching {
  /** Also hands over the present value at once. Default: false */
  readonly now?: boolean | undefined;
  /**
   * Called when the source throws instead of giving a value; the next value calls the listener again. Default: the error
   * is reported to `onProblem`.
   */
  readonly onError?: ((error: unknown) => void) | undefined;
}

export const WATCH_OPTIONS = ['now', 'onError'];

/** The same inside Floe. */
export interface InnerWatching extends Watching {
  /** Called when the runtime is closed: no notification follows. */
  readonly onEnd?: () => void;
  /** A binding registered it: what its listener throws is thrown again by the dispatch that caused the notification. */
  readonly binding?: boolean;
  /** Stays in memory as long as it watches. */
  readonly holder?: object;
}

/** Where errors go when no caller waits for them. */
export interface ErrorSink {
  problem(error: unknown): void;
  /** A binding's listener threw. */
  thrown(error: unknown): void;
}

export class Watcher {
  active = true;
  /** In the list of those that watch the same value. A watcher that was taken out still leads to the next one. */
  before: Watcher | undefined;
  next: Watcher | undefined;
  private last: unknown;
  /** The error that the watcher was notified of after the last value. */
  private failure: { readonly error: unknown } | undefined;

  constructor(
    private readonly sink: ErrorSink,
    private readonly listener: (now: never, before: never) => void,
    readonly how: InnerWatching,
    /** What it watches. */
    private readonly of: object,
  ) {}

  /** Takes the value that the watcher begins with; notifies only where it asked for the present value. */
  begin(value: unknown): void {
    this.last = value;
    if (this.how.now) this.call(this.listener, value, undefined);
  }

  /** Notifies of a value, unless it is the one that the watcher knows. */
  value(now: unknown): void {
    if (!this.active) return;
    const { last } = this;
    if (this.failure !== undefined) this.failure = undefined;
    else if (Object.is(last, now)) return;
    this.last = now;
    this.call(this.listener, now, last);
  }

  /** Notifies of an error. Returns true when the watcher has no handler for errors, so that the error must be reported. */
  error(error: unknown): boolean {
    if (!this.active || (this.failure !== undefined && Object.is(this.failure.error, error))) return false;
    this.failure = { error };
    const { onError } = this.how;
    if (onError === undefined) return true;
    this.call(onError, error, undefined);
    return false;
  }

  private call(listener: (now: never, before: never) => void, now: unknown, before: unknown): void {
    if (probe !== undefined) probe.notified(this.of);
    try {
      listener(now as never, before as never);
    } catch (error) {
      if (this.how.binding) this.sink.thrown(error);
      else this.sink.problem(error);
    }
  }
}
