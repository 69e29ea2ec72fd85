import type { Clock } from '../core/index.js';
import { badTime, milliseconds } from '../core/internal.js';
import { rest } from './quiet.js';

/** A clock that stands still until it is moved by hand. */
export interface HandClock extends Clock {
  /** How many waits there are: sleeps, and pauses before another try. */
  readonly waiting: number;
  /**
   * Moves the time on. What falls due on the way happens in its order, each at its own time, and everything that follows
   * from it without waiting has happened before the next. A second call moves the time on when the first one is over.
   * @param ms milliseconds, 0 or more. Default: 0, which lets happen what needs no time
   * @throws FLOE_BAD_TIME for a negative number, and for what is no number
   */
  advance(ms?: number): Promise<void>;
}

/** The time at which tests begin. */
export const BEGINNING = Date.UTC(2031, 2, 2, 6);

interface ClockWait {
  readonly at: number;
  readonly fn: () => void;
  stopped: boolean;
}

/**
 * A clock for tests, which do not wait in real time.
 * @param start the time that it shows at first, in epoch milliseconds. Default: 2031-03-02 06:00 UTC
 * @example
 * const clock = handClock();
 * const runtime = createRuntime({ stores: [visits], clock });
 * const run = runtime.run(showNotice('Saved.'));
 * await clock.advance(3000);
 */
export function handClock(start = BEGINNING): HandClock {
  let time = start;
  let waiting = 0;
  /** By the time at which they are due, and then in the order in which they came; those that were stopped among them. */
  const waits: ClockWait[] = [];
  /** The last one that was asked for: they move the time one after the other. */
  let advancing: Promise<void> = Promise.resolve();
  const move = async (ms: number): Promise<void> => {
    const end = time + ms;
    await rest();
    while (waits.length > 0 && waits[0].at <= end) {
      const next = waits.shift()!;
      if (next.stopped) continue;
      waiting--;
      next.stopped = true;
      time = Math.max(time, next.at);
      next.fn();
      await rest();
    }
    time = end;
  };
  return {
    now: () => time,
    after(ms, fn) {
      const wait: ClockWait = { at: time + Math.max(0, milliseconds('after', ms)), fn, stopped: false };
      // Most come last.
      let place = waits.length;
      if (place > 0 && waits[place - 1].at > wait.at) place = firstAfter(waits, wait.at);
      waits.splice(place, 0, wait);
      waiting++;
      return () => {
        if (wait.stopped) return;
        wait.stopped = true;
        waiting--;
      };
    },
    get waiting() {
      return waiting;
    },
    async advance(ms = 0) {
      if (milliseconds('advance', ms) < 0) throw badTime('advance', ms);
      const next = advancing.then(() => move(ms));
      // What a wait throws is thrown to who asked; the next one goes on.
      advancing = next.catch(() => undefined);
      await next;
    },
  };
}

/** Where the first wait stands that is due later. */
function firstAfter(waits: readonly ClockWait[], at: number): number {
  let [low, high] = [0, waits.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (waits[middle].at <= at) low = middle + 1;
    else high = middle;
  }
  return low;
}
