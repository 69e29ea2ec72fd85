import type { Clock } from '../core/index.js';

/** A clock that stands still until it is moved by hand. */
export interface HandClock extends Clock {
  /** How many waits there are: sleeps, and pauses before another try. */
  readonly waiting: number;
  /**
   * Moves the time on. What falls due on the way happens in its order, each at its own time, and everything that follows
   * from it without waiting has happened before the next.
   * @param ms milliseconds, 0 or more. Default: 0, which lets happen what needs no time
   */
  advance(ms?: number): Promise<void>;
}

/** As many turns of the queue of promises are taken to be enough for whatever needs no time. */
const TURNS = 100;

/**
 * A clock for tests, which do not wait in real time.
 * @param start the time that it shows at first, in epoch milliseconds. Default: 2031-03-02 06:00 UTC
 * @example
 * const clock = handClock();
 * const runtime = createRuntime({ stores: [visits], clock });
 * const run = runtime.run(showNotice('Saved.'));
 * await clock.advance(3000);
 */
export function handClock(start = Date.UTC(2031, 2, 2, 6)): HandClock {
  let time = start;
  const waits = new Set<{ readonly at: number; readonly fn: () => void }>();
  const settle = async (): Promise<void> => {
    for (let i = 0; i < TURNS; i++) await Promise.resolve();
  };
  const nextBefore = (end: number) => {
    let next: { readonly at: number; readonly fn: () => void } | undefined;
    for (const wait of waits) if (wait.at <= end && (!next || wait.at < next.at)) next = wait;
    return next;
  };
  return {
    now: () => time,
    after(ms, fn) {
      const wait = { at: time + Math.max(0, ms), fn };
      waits.add(wait);
      return () => waits.delete(wait);
    },
    get waiting() {
      return waits.size;
    },
    async advance(ms = 0) {
      const end = time + ms;
      await settle();
      for (let next = nextBefore(end); next; next = nextBefore(end)) {
        waits.delete(next);
        time = Math.max(time, next.at);
        next.fn();
        await settle();
      }
      time = end;
    },
  };
}
