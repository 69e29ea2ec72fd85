// What is recorded of a runtime: transitions are told to the listeners. A runtime has a recorder while it has a listener.
import type { AnyAction } from '../model/action.js';
import type { StoreDefinition } from '../model/store.js';
import { DEV } from '../base/mode.js';
import { guardData } from '../data/guard.js';
import type { Touches } from '../data/touches.js';
import { isThenable } from './compute.js';
import type { Listener } from './listener.js';
import type { Deciding } from './interceptor.js';
import type { KernelOptions } from './options.js';
import { report } from './problems.js';
import type { Cell } from './cell.js';
import type { Transaction } from './transaction.js';
import {
  NO_CHANGES,
  type Cause,
  type FactName,
  type Outcome,
  type StoreChange,
  type Transition,
} from './transition.js';
import type { Views } from './view.js';

/** Facts that stay when the transaction around them is rolled back, or left out. */
export const STAYING: ReadonlySet<FactName> = new Set<FactName>(['initial', 'joined', 'rehydrated', 'renewed']);

/** What a recorder needs of its kernel. */
interface RecorderHost {
  recorder: Recorder | undefined;
  readonly options: KernelOptions;
  readonly now: () => number;
  readonly views: Views;
  readonly cells: ReadonlyMap<string, Cell>;
  readonly isClosed: boolean;
  readonly transactions: { readonly current: Transaction | undefined };
  readonly interceptors: { readonly deciding: Deciding | undefined };
}

/** Adds a listener. Returns a function that stops it. */
export function listen(kernel: RecorderHost, listener: Listener): () => void {
  const recorder = (kernel.recorder ??= new Recorder(kernel));
  recorder.listeners = [...recorder.listeners, listener];
  return () => {
    recorder.listeners = recorder.listeners.filter((one) => one !== listener);
    if (recorder.listeners.length === 0 && kernel.recorder === recorder) kernel.recorder = undefined;
  };
}

/** What became of an action. */
interface Done {
  readonly action: AnyAction;
  readonly cause: Cause;
  readonly outcome: Outcome;
  /** Default: nothing. */
  readonly changed?: readonly StoreChange[];
  readonly touches?: Touches | undefined;
  /** Milliseconds. Default: none. */
  readonly took?: number;
  readonly reason?: unknown;
  /** Default: false. */
  readonly optimistic?: boolean;
}

export class Recorder {
  /** Replaced at each change: a listener may leave while all are called. */
  listeners: readonly Listener[] = [];
  /** The newest transition. */
  latest: Transition | undefined;
  /** The one that was recorded last, wherever the cursor went since. */
  last: Transition | undefined;
  private timed = { reading: -Infinity, time: 0 };

  constructor(private readonly kernel: RecorderHost) {}

  /** @param started what the stopwatch showed when it began, where that is now or a moment ago */
  action(
    { action, cause, outcome, changed = NO_CHANGES, touches, took = 0, reason, optimistic = false }: Done,
    started?: number,
  ): Transition {
    const { options, now, transactions, cells } = this.kernel;
    const time = started === undefined || options.clock ? now() : this.timeOf(started);
    const group = transactions.current?.number;
    return {
      kind: 'action',
      action,
      cause,
      outcome,
      changed,
      touches,
      time,
      took,
      reason,
      group,
      joinedBefore: cells.size,
      optimistic,
      step: undefined,
    };
  }

  /** The time at a reading of the stopwatch; the host's clock is asked once a millisecond, which is as fine as it goes. */
  private timeOf(reading: number): number {
    const since = reading - this.timed.reading;
    if (since >= 1 || since < 0) this.timed = { reading, time: this.kernel.now() };
    return this.timed.time;
  }

  /** Records a fact. Inside of a transaction it is part of it. */
  fact(fact: FactName, changed: readonly StoreChange[], cause: Cause, more?: Partial<Transition>): Transition {
    const group = this.kernel.transactions.current?.number;
    const outcome = changed.length > 0 ? 'applied' : 'unchanged';
    const transition: Transition = {
      kind: 'fact',
      fact,
      cause,
      outcome,
      changed,
      time: this.kernel.now(),
      took: 0,
      ...(group !== undefined && { group }),
      ...more,
    };
    this.record(transition);
    return transition;
  }

  /** Records an action that changed nothing. */
  unchanged(done: Done): Transition {
    const transition = this.action(done);
    this.kernel.views.atLive(() => this.record(transition));
    return transition;
  }

  record(transition: Transition): void {
    const { kernel } = this;
    const { fact } = transition;
    // What an attachment takes in while it closes is there for what is still to be stored, and no step.
    if (kernel.isClosed && (fact === 'rehydrated' || fact === 'fromTab')) return;
    this.latest = this.last = transition;
    const { interceptors, transactions, views } = kernel;
    const { deciding } = interceptors;
    if (deciding !== undefined && deciding.action === transition.action) deciding.of = transition;
    // Inside of a transaction it is recorded later: what happened unseen stays so, unless the transaction leaves the past.
    if (views.isUnseen) transition.unseen = true;
    else if (transition.unseen === true && !views.showsPast) transition.unseen = false;
    if (transactions.current) return void transactions.current.transitions.push(transition);
    // A store that joins during time travel is part of the live state, though it is shown.
    if (views.showsPast && (fact === 'joined' || fact === 'rehydrated')) transition.unseen = true;
    // Written out: a function for each transition costs as much as what a listener does with most of them.
    for (const listener of this.listeners) {
      try {
        listener.transition?.(transition);
      } catch (error) {
        (transition.problems ??= []).push(error);
        report(kernel.options, error, { action: transition.action });
      }
    }
  }

  /** Calls every listener. An error of one listener is reported, and the others are still called. */
  each(tell: (listener: Listener) => void): void {
    for (const listener of this.listeners) {
      try {
        tell(listener);
      } catch (error) {
        report(this.kernel.options, error);
      }
    }
  }

  /** Notes an error on the transition that it belongs to. */
  note(error: unknown, transition: Transition | undefined): void {
    if (!transition) return;
    (transition.problems ??= []).push(error);
    if (transition.step !== undefined) this.each((listener) => listener.noted?.(transition));
  }

  /** Stores join: brings in what is stored of each, and then records it all. */
  joining(): { begin(store: StoreDefinition, state: unknown): unknown; end(fact: FactName): void } {
    const joined: StoreChange[] = [];
    const rehydrated: StoreChange[] = [];
    const late: (() => void)[] = [];
    return {
      begin: (store, initial) => {
        let state = initial;
        joined.push({ store, before: undefined, after: state, joined: true });
        for (const listener of this.listeners) {
          const stored = listener.begin?.(store, state) ?? state;
          if (stored === state) continue;
          if (isThenable(stored)) {
            late.push(() => listener.fill!(this.kernel.cells.get(store.name)!, stored));
            continue;
          }
          if (DEV) guardData(stored, { at: '', what: `The stored state of '${store.name}'` });
          rehydrated.push({ store, before: state, after: stored });
          state = stored;
        }
        return state;
      },
      end: (fact) => {
        this.fact(fact, joined, { by: 'runtime' });
        if (rehydrated.length > 0) this.fact('rehydrated', rehydrated, { by: 'storage' });
        for (const fill of late) fill();
      },
    };
  }

  /** Records what a transaction did that committed. */
  committed({ transitions }: Transaction): void {
    this.each((listener) => listener.committing?.(transitions));
    for (const transition of transitions) {
      transition.caught = transition.outcome === 'failed';
      this.record(transition);
    }
  }

  /** Records what a transaction did that was rolled back. A store that joined meanwhile has joined. */
  rolledBack({ transitions }: Transaction, reason: unknown): void {
    this.each((listener) => listener.reverting?.(transitions));
    for (const transition of transitions) {
      const { fact, action } = transition;
      if (fact !== undefined && STAYING.has(fact)) this.record(transition);
      else if (action) this.record({ ...transition, outcome: 'reverted', changed: [], reason });
    }
  }

  /** Tells the listeners of the end. */
  async close(): Promise<void> {
    const closing: PromiseLike<void>[] = [];
    this.each((listener) => {
      const done = listener.close?.();
      if (done) closing.push(done);
    });
    await Promise.all(closing);
  }
}
