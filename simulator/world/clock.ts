// The time of the simulated world: it moves when the program says so. A session that crashed waits for nothing any more.
import type { Clock } from 'floe';

interface Timer {
  readonly at: number;
  readonly order: number;
  readonly owner: object;
  readonly fn: () => void;
}

/** Lets everything run that waits for nothing else. */
export const turn = (): Promise<void> => new Promise((resolve) => void setImmediate(resolve));

export class WorldClock {
  now = Date.UTC(2031, 2, 2, 6);
  private timers: Timer[] = [];
  private order = 0;

  /** @param owner whose timers these are */
  for(owner: object): Clock {
    return {
      now: () => this.now,
      after: (ms, fn) => {
        if (ms === Infinity) return () => undefined;
        const timer = { at: this.now + Math.max(0, ms), order: ++this.order, owner, fn };
        this.timers.push(timer);
        return () => void (this.timers = this.timers.filter((one) => one !== timer));
      },
    };
  }

  drop(owner: object): void {
    this.timers = this.timers.filter((one) => one.owner !== owner);
  }

  /** What falls due happens in its order, each at its own time. */
  async advance(ms: number, isFrozen: (owner: object) => boolean, between: () => Promise<void>): Promise<void> {
    const end = this.now + ms;
    for (;;) {
      const due = this.timers.filter(({ at, owner }) => at <= end && !isFrozen(owner));
      if (due.length === 0) break;
      const next = due.reduce((a, b) => (b.at < a.at || (b.at === a.at && b.order < a.order) ? b : a));
      this.timers = this.timers.filter((one) => one !== next);
      this.now = Math.max(this.now, next.at);
      next.fn();
      await between();
    }
    this.now = end;
  }
}
