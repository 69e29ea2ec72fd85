// What a kernel is told when it is made: the part of the options of `createRuntime` that it looks at.
import type { AnyAction } from '../model/action.js';
import type { Interceptor } from './interceptor.js';

/** An error that no caller waited for. */
export interface Problem {
  readonly error: unknown;
  /** The action that it has to do with, if one does. */
  readonly action?: AnyAction;
  /** The task whose run failed, if one did. */
  readonly task?: string;
  /** The number of that action's step, or of the step at which it was noticed; absent without a trace. */
  readonly step?: number;
}

/** A clock that tasks wait by. */
export interface Clock {
  /** Epoch milliseconds. */
  now(): number;
  /** Calls `fn` once after some milliseconds. Returns a function that prevents it. */
  after(ms: number, fn: () => void): () => void;
}

/** An option for tests and tools: no task begins by itself; `as recorded`: nor are runs ended that an imported trace left under way. */
export const STILL: unique symbol = Symbol('floe.still');

/** The options of `createRuntime` that the kernel and features look at. */
export interface KernelOptions {
  /** States to begin with, by store name: `snapshot()` of another runtime, or `parseSnapshot(text)`. Default: none. */
  readonly initial?: Readonly<Record<string, unknown>>;
  /** Asked in this order before an action is applied. Default: none. */
  readonly interceptors?: readonly Interceptor[];
  /** What happens when an invariant is broken: it is reported, or the action is refused. Default: `'report'`. */
  readonly invariants?: 'report' | 'refuse';
  /** Development only: runs each handler twice and compares the results. Default: false. */
  readonly checkPurity?: boolean;
  /** What tasks need from outside: `[office.by(httpOffice(''))]`. Default: nothing. */
  readonly needs?: readonly { readonly need: object; readonly value: unknown }[];
  /**
   * The time in epoch milliseconds, for `now` and the times in the trace; as an object also what `sleep` waits by.
   * Default: the host's.
   */
  readonly clock?: (() => number) | Clock;
  /** Gives numbers from 0 up to 1, for tasks. Default: `Math.random`. */
  readonly random?: () => number;
  /** @internal */
  readonly [STILL]?: boolean | 'as recorded' | undefined;
  /** Called with errors that no caller waits for. Default: they are written to the console. */
  readonly onProblem?: (problem: Problem) => void;
}
