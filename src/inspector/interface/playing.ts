// Plays a history, moment by moment, at the speed at which it happened; idle stretches are shortened. The page follows.
import type { Moment, Status } from '../ends/index.js';

/** The session that is played. */
interface Played {
  readonly moment: Moment | undefined;
  readonly status: Status | undefined;
  playTo(number: number): Promise<void>;
  follow(): Promise<void>;
  changed(): void;
}

/** Milliseconds between two moments: at least, and at most. */
const LEAST = 150;
const MOST = 1500;

export class Playing {
  private timer: ReturnType<typeof setTimeout> | undefined;
  /** The moment that is shown next. */
  private next = 0;

  constructor(private readonly session: Played) {}

  get isOn(): boolean {
    return this.timer !== undefined;
  }

  /** Plays from the moment that is shown; from the first one where that is the newest. */
  start(): void {
    const { moment, status } = this.session;
    if (!status || status.moments - status.firstMoment < 2) return;
    const at = moment?.number ?? status.firstMoment;
    this.next = at >= status.moments - 1 ? status.firstMoment : at + 1;
    this.wait(LEAST);
  }

  /** What the user does stops it. */
  stop(): void {
    clearTimeout(this.timer);
    this.timer = undefined;
  }

  private wait(ms: number): void {
    this.timer = setTimeout(() => void this.show(), ms);
    this.session.changed();
  }

  private async show(): Promise<void> {
    const { session, timer } = this;
    const before = session.moment?.time;
    await session.playTo(this.next);
    if (this.timer !== timer) return;
    const { moment, status } = session;
    if (!moment || !status || this.next >= status.moments - 1) {
      this.stop();
      await session.follow();
      return;
    }
    this.next++;
    const since = before === undefined ? LEAST : moment.time - before;
    this.wait(Math.min(MOST, Math.max(LEAST, since)));
  }
}
