// What a run waits for, and how its waits end when it is cancelled.
//
// The work of a run is an async function; beside it, loops may float that it does not await. When the run is cancelled, the
// wait of the work rejects, so that the work ends. Were the waits of floating loops rejected too, no code could catch that,
// and the host would report an unhandled rejection. Which wait is whose, the language does not say; but a function can only
// wait for what it created last before it paused. So waits form chains: the wait that is created last, between two pauses,
// goes on with the chain of the one whose end led there. The chain of the work is rejected first, and what belongs to no
// known chain; when that ends the work, or the work waits again, the other chains never settle, as after every end.

import type { Transition } from '../../kernel/transition.js';

/** Something that a run waits for. */
export interface Awaited {
  /** In development, for tools: what it is, in a few words: a time, or the types of actions. */
  readonly what?: string | false;
  /** The run has ended: the run no longer waits. */
  readonly stop: () => void;
  /** The run is cancelled: what it waits for will not come. */
  readonly reject: (error: unknown) => void;
}

/** Waits that follow each other in one function. */
interface Chain {
  /** The action that ended its latest `next` or `each`: what is done from there on is done because of it. */
  of?: Transition;
}

interface Wait extends Awaited {
  chain: Chain;
}

/** Notes that what was waited for came. */
export type Came = (settle: () => void, of?: Transition) => void;

const ignore = (): void => undefined;

/** The chain of waits that were created where no chain is known: after a promise from elsewhere, or outside the run. */
const UNKNOWN: Chain = Object.freeze({});

/** As many turns of the queue of promises are enough for work to end after its wait was rejected. */
const TURNS = 30;

const later = (fn: () => void): void => void Promise.resolve().then(fn);

export class Waits {
  readonly pending = new Set<Wait>();
  /** The chain of the work itself. */
  private readonly main: Chain = {};
  /** The chain of what runs now, where that is known; and the wait that it created last. */
  private chain: Chain | undefined;
  private newest: Wait | undefined;
  /** There were waits beside the chain of the work: what runs now may be theirs. */
  private hasOthers = false;
  private readonly stops = new Set<() => void>();
  /** The run was cancelled, and a wait learned of it. */
  private isCancelKnown = false;
  private ended = false;
  /** The work has ended since, or waits again: it knows. */
  private workKnows = false;

  /** Calls `stop` when the run ends. Returns a function that prevents it. */
  whenEnded(stop: () => void): () => void {
    if (this.ended) stop();
    else this.stops.add(stop);
    return () => void this.stops.delete(stop);
  }

  /**
   * Adds a wait of a run that is under way.
   * @returns how to note that it came: to be called with what then settles its promise, and the action that came, if one did
   */
  add(pending: Awaited): Came {
    const wait: Wait = { ...pending, chain: this.chainOfNext() };
    this.newest = wait;
    this.pending.add(wait);
    return (settle, of) => {
      if (!this.pending.delete(wait)) return;
      const { chain } = wait;
      // What waits for it goes on between these two.
      later(() => {
        if (of && chain !== UNKNOWN) chain.of = of;
        this.chain = chain;
        this.newest = undefined;
      });
      settle();
      later(() => {
        this.chain = undefined;
        this.newest = undefined;
      });
    };
  }

  /** The work is called, and has returned its promise: what it does next comes after a pause. */
  working(isCalled: boolean): void {
    this.chain = isCalled ? this.main : undefined;
    this.newest = undefined;
    if (isCalled) this.workKnows = false;
  }

  /** The promise of the work is settled. */
  workIsOver(): void {
    this.workKnows = true;
  }

  /** The chain of a wait that is created now. */
  private chainOfNext(): Chain {
    const { chain, newest } = this;
    if (chain === undefined) {
      // It comes out of a promise from elsewhere: the work's, as far as the work waits for nothing else.
      for (const wait of this.pending) if (wait.chain === this.main) return UNKNOWN;
      return this.main;
    }
    // The one before was not what is waited for here.
    if (newest !== undefined && newest.chain === chain && chain !== UNKNOWN) {
      newest.chain = {};
      this.hasOthers = true;
    }
    return chain;
  }

  /** The action because of which the run does what it does now, where that is known. */
  get cause(): Transition | undefined {
    if (this.chain) return this.chain.of;
    // After a promise from elsewhere: that of the work, where no other wait of this run can have led here.
    for (const wait of this.pending) if (wait.chain === this.main) return undefined;
    return this.hasOthers ? undefined : this.main.of;
  }

  /**
   * Whether the work still has to learn that its run was cancelled; true once. A wait that begins later never settles, or a
   * loop that catches everything would spin.
   */
  tellsOnce(): boolean {
    const tells = !this.isCancelKnown;
    this.isCancelKnown = this.workKnows = true;
    return tells;
  }

  /**
   * Ends all waits.
   * @param error what they reject with; without one they never settle
   * @param isTold something else that the work waits for rejects already
   */
  end(error: unknown, isRecorded = false): void {
    this.ended = true;
    const all = [...this.pending];
    this.pending.clear();
    for (const { stop } of all) stop();
    for (const stop of this.stops) stop();
    this.stops.clear();
    if (error === undefined) return;
    if (isRecorded || all.length > 0) this.isCancelKnown = true;
    const isWorks = ({ chain }: Wait): boolean => chain === this.main || chain === UNKNOWN;
    const [works, others] = [all.filter(isWorks), all.filter((wait) => !isWorks(wait)).reverse()];
    for (const { reject } of works) reject(error);
    this.rejectInTurn(works.length > 0 || isRecorded ? [{ reject: ignore }, ...others] : others, error);
  }

  /** Rejects one wait after the other, until the work has ended or waits again. */
  private rejectInTurn(waits: readonly Pick<Wait, 'reject'>[], error: unknown, index = 0, turn = 0): void {
    if (index === waits.length || this.workKnows) return;
    if (turn === 0) waits[index].reject(error);
    const isLastTurn = turn === TURNS;
    later(() => this.rejectInTurn(waits, error, isLastTurn ? index + 1 : index, isLastTurn ? 0 : turn + 1));
  }
}
