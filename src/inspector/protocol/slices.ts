// Work that leaves the page its time: long work in slices, and what happens often done now and then.
import { stopwatch, timer } from '../../core/internal.js';

/** Milliseconds of work before the page has its turn: a scavenge of the collector may come on top, which takes up to 40. */
const SLICE = 6;

interface Platform {
  readonly MessageChannel?: new () => {
    readonly port1: { onmessage: (() => void) | null; close?(): void };
    readonly port2: { postMessage(message: unknown): void };
  };
  setTimeout(fn: () => void, ms: number): unknown;
}
const platform = globalThis as unknown as Platform;

/** Lets everything else happen that waits. A message has no precedence over the page's own work, and no least delay. */
export function pause(): Promise<void> {
  const { MessageChannel } = platform;
  if (!MessageChannel) return new Promise((resolve) => void platform.setTimeout(resolve, 0));
  return new Promise((resolve) => {
    const { port1, port2 } = new MessageChannel();
    port1.onmessage = () => {
      port1.onmessage = null;
      port1.close?.();
      resolve();
    };
    port2.postMessage(null);
  });
}

/** Says when a slice is over. */
export class Slice {
  private began = stopwatch();

  get isOver(): boolean {
    return stopwatch() - this.began > SLICE;
  }
  async next(): Promise<void> {
    await pause();
    this.began = stopwatch();
  }
}

/** Milliseconds between two calls: three frames, since the inspector draws no more often. */
const PACE = 48;

/** Calls `fn` now and then: soon after the first call of many, and after the last. */
export function paced(fn: () => void): { call(): void; end(): void } {
  let stop: (() => void) | undefined;
  let last = -Infinity;
  return {
    call() {
      if (stop) return;
      stop = timer(Math.max(0, PACE - (stopwatch() - last)), () => {
        stop = undefined;
        last = stopwatch();
        fn();
      });
    },
    end: () => stop?.(),
  };
}
