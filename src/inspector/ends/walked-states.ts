// The states of a long recording: they are worked out along its line, as far as a request waits for them.
import type { Known, States, Timeline } from '../../trace/internal.js';
import { Slice } from '../protocol/slices.js';

/** Steps whose patches are applied at once. */
const STRIDE = 500;
/** After so many steps states are kept. */
const KEPT_EVERY = 500;
/** So many steps from known states are worked out at once. */
const NEAR = 600;

export class WalkedStates {
  /** The states after the last step up to which they were worked out; those on the way are kept now and then. */
  private walked: { position: number; states: States } | undefined;
  private isWalking = false;
  private waiting: {
    readonly position: number;
    readonly resolve: () => void;
    readonly reject: (error: unknown) => void;
  }[] = [];

  /** @param begin gives the states before the first step */
  constructor(
    private readonly timeline: Timeline,
    private readonly begin: () => States,
  ) {}

  /** The steps from an index on are others now. */
  forgetFrom(index: number): void {
    this.timeline.states.forgetFrom(index);
    if (this.walked && this.walked.position >= index) this.walked = undefined;
  }

  at(index: number, beside: readonly Known[] = []): States {
    const known: Known[] = [{ index: -1, states: this.begin() }, ...beside];
    if (this.walked) known.push({ index: this.walked.position, states: this.walked.states });
    return this.timeline.states.at(index, known);
  }

  /** Resolves when the states of a position are near to some that are known. */
  ready(position: number): Promise<void> | undefined {
    if (this.isNear(position)) return undefined;
    return new Promise((resolve, reject) => {
      this.waiting.push({ position, resolve, reject });
      if (!this.isWalking) void this.walk();
    });
  }

  /** The last position whose states can be worked out at once. */
  get near(): number {
    return (this.walked?.position ?? -1) + NEAR;
  }

  private isNear(position: number): boolean {
    return position <= this.near || position >= this.timeline.line.length;
  }

  /** Works out states along the line as far as a request waits for them, and keeps some. */
  private async walk(): Promise<void> {
    this.isWalking = true;
    const slice = new Slice();
    try {
      while (this.resolveNear()) {
        this.stride();
        if (slice.isOver) await slice.next();
      }
    } catch (error) {
      for (const { reject } of this.waiting.splice(0)) reject(error);
    }
    // Before a request that waited goes on: it may wait for a later state at once.
    this.isWalking = false;
  }

  /** @returns whether a request still waits */
  private resolveNear(): boolean {
    this.waiting = this.waiting.filter(({ position, resolve }) => {
      if (!this.isNear(position)) return true;
      resolve();
      return false;
    });
    return this.waiting.length > 0;
  }

  private stride(): void {
    const { timeline } = this;
    const from = this.walked?.position ?? -1;
    const to = Math.min(from - (from % STRIDE) + STRIDE, timeline.line.length - 1);
    const states = this.at(to);
    this.walked = { position: to, states };
    if (to % KEPT_EVERY === 0) timeline.states.keep(states, timeline.line.seqAt(to), true);
  }
}
