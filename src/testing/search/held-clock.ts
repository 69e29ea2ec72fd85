// The clock of a story: time stands still until a timer is chosen to be the next one.
import type { Clock } from '../../core/index.js';
import { BEGINNING } from '../clock.js';

/** A timer that waits. */
export interface HeldTimer {
  /** Counted from 1 in the order in which they were set. */
  readonly number: number;
  /** Epoch milliseconds. */
  readonly at: number;
  /** How long it was to wait, in milliseconds. */
  readonly ms: number;
  /** The run that sleeps; none for the pause before another try. */
  readonly run: number | undefined;
  readonly fn: () => void;
}

export class HeldClock implements Clock {
  readonly timers = new Set<HeldTimer>();
  /** The run that calls `sleep` now. */
  sleeper: number | undefined;
  /** Whether the time was looked at since this was set to false. */
  isRead = false;
  private time = BEGINNING;
  private count = 0;

  now(): number {
    return this.time;
  }

  after(ms: number, fn: () => void): () => void {
    this.isRead = true;
    const timer = { number: ++this.count, at: this.time + Math.max(0, ms), ms, run: this.sleeper, fn };
    this.timers.add(timer);
    return () => this.timers.delete(timer);
  }

  /** The timers of which each may be the next one. What never comes is none of them. */
  next(): readonly HeldTimer[] {
    let first = Infinity;
    for (const { at } of this.timers) first = Math.min(first, at);
    return first === Infinity ? [] : [...this.timers].filter(({ at }) => at === first);
  }

  fire(timer: HeldTimer): void {
    this.timers.delete(timer);
    this.time = Math.max(this.time, timer.at);
    timer.fn();
  }
}
