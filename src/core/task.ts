// Tasks: work over time. A definition holds no state; `runs.ts` brings it to life in a runtime.
import type { AnyCreator } from './action.js';
import { badName, badOption, notATaskCall } from './errors.js';
import { DEV } from './mode.js';
import { checkChoice, checkOptions } from './options.js';
import type { CancelSignal } from './host.js';
import type { Dispatchable, DispatchResult } from './runtime.js';
import { argumentKey, makeSelector, type Read, type Selector, type Source } from './source.js';
import { declaredMore, plainName, StoreDefinition } from './store.js';

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
  /** Applies an action at once, to be confirmed or taken back. What is left open when the run fails is taken back. */
  readonly optimistic: (action: Dispatchable) => Optimistic;
  /** Epoch milliseconds of the runtime's clock. */
  readonly now: () => number;
  /** A number from 0 up to 1. */
  readonly random: () => number;
}

/** What happens when a task is run while a run of it is under way. */
export type Overlap = 'replace' | 'queue' | 'ignore' | 'share' | 'allow';

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
  /** Runs it for each action of a creator, or of several, with the payload as its argument. */
  readonly when?: Handled;
  /** Runs it when its store joins a runtime; a task without a store when it is listed in `createRuntime({ tasks })`. */
  readonly atStart?: boolean;
  /** When this gives something true, there is nothing to do: the run ends at once without a result. */
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

/** What handles actions says which: a creator, a list of them, or a function that gives them. */
export type Handled = AnyCreator | readonly AnyCreator[] | (() => AnyCreator | readonly AnyCreator[]);

/** The payload of what is handled, as a list of one argument or none. */
export type PayloadOf<C> = C extends AnyCreator
  ? Parameters<C>
  : C extends readonly (infer I extends AnyCreator)[]
    ? Parameters<I>
    : C extends () => infer R
      ? PayloadOf<R>
      : never;

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
  readonly task: TaskDefinition;
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
  readonly definition: TaskDefinition;
}

/** Any task. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- a task of any arguments
export type AnyTask = Task<any, unknown, any>;

/** The work of a task. */
export type Work<A extends readonly unknown[], T> = (context: TaskContext, ...args: A) => T | Promise<T>;

const idle: TaskStatus = { phase: 'idle', runs: 0, startedAt: null, endedAt: null, error: null };

/** The state that holds the statuses of one task: of all runs, and by arguments. */
export interface Statuses {
  readonly all: TaskStatus;
  readonly by: Readonly<Record<string, TaskStatus>>;
}

const NONE: Statuses = { all: idle, by: {} };
const SUFFIX = '.status';
/** The name of the task whose statuses are under a name. */
export const taskOfStatuses = (name: string): string => name.slice(0, -SUFFIX.length);
/** Whether a state is that of a task's statuses: the names of stores have no dot. A damaged file may have another one there. */
export const isStatuses = (name: string, state: unknown): state is Statuses => {
  const { all, by } = (state ?? {}) as Partial<Statuses>;
  return name.endsWith(SUFFIX) && isStatus(all) && isStatus(by) && Object.values(by).every(isStatus);
};
const isStatus = (value: unknown): value is object => typeof value === 'object' && value !== null;
/** Holds the statuses of a task that was not declared yet. */
export const statusesNamed = (name: string): StoreDefinition => new StoreDefinition(name, NONE, undefined, true);

/** The inside of a task. */
export class TaskDefinition {
  /** The store that it was declared beside, if it was. */
  store: StoreDefinition | undefined;
  /** Holds its status in every runtime. */
  readonly statuses: StoreDefinition;
  readonly status: Source<TaskStatus>;
  readonly statusOf: (...args: unknown[]) => Source<TaskStatus>;

  constructor(
    readonly name: string,
    readonly work: Work<never[], unknown>,
    readonly options: TaskOptions<never[]>,
  ) {
    this.statuses = statusesNamed(name + SUFFIX);
    this.status = makeSelector(`${name}.status`, this.statuses, (state: Statuses) => state.all) as Source<TaskStatus>;
    const byKey = makeSelector(`${name}.statusOf`, this.statuses, (state: Statuses, key: string) =>
      key === '' ? state.all : (state.by[key] ?? idle),
    ) as Selector<TaskStatus, [key: string]>;
    this.statusOf = (...args) => byKey(this.statusKey(args));
  }

  /** Runs with one key overlap. */
  laneKey(args: readonly unknown[]): string {
    const { overlapBy, overlap } = this.options;
    return overlapBy || overlap === 'share' ? this.statusKey(args) : '';
  }

  /** Runs with one key share a status; no key where there is but one. */
  statusKey(args: readonly unknown[]): string {
    const { overlapBy } = this.options;
    const by = overlapBy ? [overlapBy(...(args as never[]))] : args;
    return by.length === 0 ? '' : argumentKey(this.name, by);
  }
}

/** Tasks that belong to no store and answer actions, wherever those are dispatched. */
export const freeTasks: TaskDefinition[] = [];

/** Whether a task answers actions of a type. */
export const startsWith = ({ options }: TaskDefinition, type: string): boolean =>
  options.when !== undefined && answersType(options.when, type);

/** The creators of the actions that are answered. */
export function creatorsOf(answered: Handled): readonly AnyCreator[] {
  const named = typeof answered === 'function' && !('type' in answered) ? answered() : answered;
  return Array.isArray(named) ? (named as readonly AnyCreator[]) : [named as AnyCreator];
}

/** The types of the actions that are answered. */
export const typesOf = (answered: Handled): readonly string[] => creatorsOf(answered).map(({ type }) => type);

export const answersType = (answered: Handled, type: string): boolean => typesOf(answered).includes(type);

const TASK_OPTIONS = ['overlap', 'overlapBy', 'retry', 'when', 'atStart', 'unless', 'keep', 'about'];

/** Development only: what is misspelt, and what no run could use. */
function checkTaskOptions(name: string, options: TaskOptions<never[]>): void {
  if (!DEV) return;
  const what = `The task '${name}'`;
  checkOptions(what, options, TASK_OPTIONS);
  checkChoice(what, 'overlap', options.overlap, ['replace', 'queue', 'ignore', 'share', 'allow']);
  checkOptions(`${what}, retry`, options.retry, ['times', 'wait']);
  const { keep = 0 } = options;
  if (!(keep >= 0)) throw badOption(what, 'keep', 'is a number from 0 on');
}

/** Makes a task as a user calls it. */
export function makeTask(
  name: string,
  work: Work<never[], unknown>,
  options: TaskOptions<never[]> = {},
): { readonly definition: TaskDefinition; readonly made: unknown } {
  if (typeof work !== 'function') throw badName(`The work of the task '${name}'`, work);
  checkTaskOptions(name, options);
  const definition = new TaskDefinition(name, work, options);
  const call = (...args: unknown[]): TaskCall<unknown> => ({ task: definition, args });
  Object.defineProperty(call, 'name', { value: name });
  const made = Object.assign(call, { definition, status: definition.status, statusOf: definition.statusOf });
  return { definition, made };
}

/**
 * Declares a task that belongs to no store. Say what is to be done, in the imperative.
 * @param run does the work; what it returns is the result of the run
 * @example
 * const signIn = task('signIn', async ({ use, dispatch }, name: string) => {
 *   dispatch(signedIn(await use(office).signIn(name)));
 * });
 */
export function task<A extends readonly unknown[], T, const C extends Handled, B extends OverlapBy<A> = OverlapBy<A>>(
  name: string,
  run: Work<A, T>,
  options: WhenOptions<A, C> & { readonly overlapBy?: B },
): Task<A, T, Parameters<B>>;
export function task<A extends readonly unknown[], T, B extends OverlapBy<A> = OverlapBy<A>>(
  name: string,
  run: Work<A, T>,
  options: TaskOptions<A> & { readonly overlapBy?: B; readonly unless: (read: Read, ...args: A) => unknown },
): Task<A, T | undefined, Parameters<B>>;
export function task<A extends readonly unknown[], T, B extends OverlapBy<A> = OverlapBy<A>>(
  name: string,
  run: Work<A, T>,
  options?: Omit<TaskOptions<A>, 'when'> & { readonly overlapBy?: B },
): Task<A, T, Parameters<B>>;
export function task(name: string, run: Work<never[], unknown>, options?: TaskOptions<never[]>): unknown {
  const { definition, made } = makeTask(plainName('A task', name), run, options);
  if (options?.when) {
    // A reloaded module declares it once more: the newer one takes the place of the older.
    const known = freeTasks.findIndex((one) => one.name === name);
    freeTasks.splice(known < 0 ? freeTasks.length : known, 1, definition);
    declaredMore();
  }
  return made;
}

/** The call that was handed to `run`, or a clear error. */
export function callOf(call: TaskCall<unknown>): TaskCall<unknown> {
  if (!((call as TaskCall<unknown> | undefined)?.task instanceof TaskDefinition)) throw notATaskCall(call);
  return call;
}

/** Something that tasks need from outside: a service, a client. The runtime is given it, and tests give another. */
export interface Need<T> {
  readonly name: string;
  /** What answers the need, for `createRuntime({ needs })`. A service answers; it never dispatches. */
  by(value: T): Given;
}

/** A need and what answers it. */
export interface Given {
  readonly need: Need<never>;
  readonly value: unknown;
}

/**
 * Declares something that tasks need from outside.
 * @example
 * export const office = need<Office>('office');
 * createRuntime({ needs: [office.by(httpOffice(''))] });
 * // in a task: await use(office).visits(day)
 */
export function need<T>(name: string): Need<T> {
  const declared: Need<T> = {
    name: plainName('A need', name),
    by: (value) => ({ need: declared, value }),
  };
  return declared;
}
