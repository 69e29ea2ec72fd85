// What tasks, their runs and their statuses are for those who declare and run them.
import type { AnyCreator } from '../../model/action.js';
import type { DeclaredTask, Handled, PayloadOf } from '../../model/triggers.js';
import type { CancelSignal } from '../../base/host.js';
import type { Dispatchable, DispatchResult } from '../../model/action.js';
import type { Read, Source } from '../../model/source.js';
import type { Need } from './need.js';

/** Where a task is. */
export interface TaskStatus {
  readonly phase: 'idle' | 'running' | 'done' | 'failed' | 'cancelled';
  /** How many runs have begun. */
  readonly runs: number;
  /** Epoch milliseconds of the last beginning; `null` before the first. */
  readonly startedAt: number | null;
  /** Epoch milliseconds of the last end; `null` while it runs and before the first. */
  readonly endedAt: number | null;
  /** Why the last run failed. */
  readonly error: TaskError | null;
}

/** What is kept of an error: state is plain data. */
export interface TaskError {
  readonly message: string;
  /** The `code` of the error, where it has one. */
  readonly code?: string;
}

/** One run of a task: a promise of its result that can be cancelled. */
export interface Run<T> extends Promise<T> {
  /** Counts up from 1 in one runtime; 0 as long as the run waits for its turn. */
  readonly id: number;
  readonly phase: 'waiting' | 'running' | 'done' | 'failed' | 'cancelled';
  /**
   * Ends it: `signal` is aborted, what waits is rejected with FLOE_RUN_CANCELLED, and what the run still dispatches is
   * stopped. A run that has ended stays as it is.
   * @param reason is in the error and in the trace. Default: `'cancelled'`
   */
  cancel(reason?: string): void;
}

/** An action that is shown before it is certain that it stays. */
export interface Optimistic {
  /** What became of the action when it was dispatched. */
  readonly result: DispatchResult;
  /** It stays. With an action: that one takes its place, and later actions are rebased. */
  confirm(action?: Dispatchable): void;
  /** Takes it away, and it alone: what came after it is kept, computed without it. */
  revert(): void;
}

/**
 * What a run works with; what it waits for and does not await ends with it. Its members can be taken out of it:
 * `async ({ dispatch, signal }) => ...`.
 */
export interface TaskContext {
  /** Dispatches an action that names this run as its cause. Once the run is cancelled, actions are stopped. */
  readonly dispatch: (action: Dispatchable) => DispatchResult;
  /** Reads any source, at the live end even during time travel. */
  readonly read: Read;
  /** A transaction: many transitions that commit or roll back together. */
  readonly atomic: <T>(fn: () => T) => T;
  /** Runs another task, which is cancelled with this run. */
  readonly run: <T>(call: TaskCall<T>) => Run<T>;
  /** What the runtime was given for a need. */
  readonly use: <T>(need: Need<T>) => T;
  /** Aborted when the run is cancelled; to be handed to `fetch` and the like. */
  readonly signal: CancelSignal;
  /** Waits, in milliseconds of the runtime's clock. */
  readonly sleep: (ms: number) => Promise<void>;
  /** The next action of a creator, or of several. */
  readonly next: <C extends AnyCreator>(action: C | readonly C[]) => Promise<ReturnType<C>>;
  /** All actions of a creator, or of several, from now on. None that comes meanwhile is missed. */
  readonly each: <C extends AnyCreator>(action: C | readonly C[]) => AsyncIterableIterator<ReturnType<C>>;
  /** Applies an action at once, to be confirmed or reverted. What is still pending when the run fails is reverted. */
  readonly optimistic: (action: Dispatchable) => Optimistic;
  /** Epoch milliseconds of the runtime's clock. */
  readonly now: () => number;
  /** A number from 0 up to 1. */
  readonly random: () => number;
}

/** What happens when a task is run while a run of it is under way. */
export type Overlap = 'replace' | 'queue' | 'ignore' | 'share' | 'allow';

/** How the runs of a task start, overlap and are tried again. */
export interface TaskOptions<A extends readonly unknown[]> {
  /**
   * When a run is still under way: `allow` both; `replace` cancels the old one; `queue` waits for it; `ignore` cancels
   * the new one; `share` gives the old one again. Default: `'allow'`
   */
  readonly overlap?: Overlap;
  /**
   * Runs for which this gives different data do not disturb each other, and have a status of their own. Default: all
   * runs of the task overlap; with `share`, those with equal arguments.
   */
  readonly overlapBy?: (...args: A) => unknown;
  /** Tries again after a failure: `times` more, each after `wait` milliseconds. Default: no retry; no wait. */
  readonly retry?: { readonly times: number; readonly wait?: number | ((attempt: number) => number) };
  /** Runs it for each action of a creator, or of several, with the payload as its argument. Default: only calls run it. */
  readonly when?: Handled;
  /** Runs it when its store joins a runtime; a task without a store when it is listed in `createRuntime({ tasks })`. Default: false. */
  readonly atStart?: boolean;
  /** When this gives something true, there is nothing to do: the run ends at once without a result. Default: every run works. */
  readonly unless?: (read: Read, ...args: A) => unknown;
  /**
   * How many statuses by arguments are kept of runs that have ended, the latest ones; those of running runs never count.
   * Default: 1,000.
   */
  readonly keep?: number;
  /** Data for tools. Default: none. */
  readonly about?: TaskAbout<A>;
}

/** Data for tools; the members that are declared here are for those that show steps. */
export interface TaskAbout<A extends readonly unknown[] = readonly unknown[]> {
  /**
   * What is to be done, in the imperative: "assign a berth". A function is given the arguments. Default: the name.
   * @example
   * about: { title: (id, berth) => `assign ${berth} to ${id}` }
   */
  readonly title?: string | ((...args: A) => string);
  readonly [more: string]: unknown;
}

/** The work of a task takes the payload of each action that starts it, or no arguments. */
type Fitting<C, A extends readonly unknown[]> = [PayloadOf<C>] extends [readonly [...A, ...unknown[]]]
  ? unknown
  : 'The task takes other arguments than the payload of these actions';

/** The options of a task that handles actions. */
export type WhenOptions<A extends readonly unknown[], C> = Omit<TaskOptions<A>, 'when'> & {
  readonly when: C & Fitting<C, A>;
};

/** Gives the part of the arguments by which runs overlap. */
export type OverlapBy<A extends readonly unknown[]> = (...args: A) => unknown;

/** A call of a task, for `run`. By itself it does nothing. */
export interface TaskCall<out T> {
  readonly task: DeclaredTask;
  readonly args: readonly unknown[];
  /** Only there for the type of the result. */
  readonly result?: T;
}

/** A declared task: calling it makes what `run` takes. */
export interface Task<A extends readonly unknown[], T, S extends readonly unknown[] = A> {
  (...args: A): TaskCall<T>;
  /** Where its runs are, all taken together. */
  readonly status: Source<TaskStatus>;
  /**
   * Where its runs with these arguments are. With `overlapBy`, only the arguments count that it looks at, and the others may
   * be left out. Of arguments of which no run is under way, the last `keep` are known; of others it says `idle`.
   */
  readonly statusOf: (...args: A | S) => Source<TaskStatus>;
  /** @internal */
  readonly definition: DeclaredTask;
}

/** Any task, whatever its arguments and its result: for lists of tasks. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- a task of any arguments
export type AnyTask = Task<any, unknown, any>;

/** The work of a task. */
export type Work<A extends readonly unknown[], T> = (context: TaskContext, ...args: A) => T | Promise<T>;
