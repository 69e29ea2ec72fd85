// What a kernel is told when it is made: the part of the options of `createRuntime` that it looks at.
import type { AnyAction } from '../model/action.js';
import type { Interceptor } from './interceptor.js';

/** An error that no caller waited for. */
export interface Problem {
  readonly error: unknown;
  /** The action that it has to do with, if one does. */
  readonly action?: AnyAction;
}

/** A clock that tasks wait by. */
export interface Clock {
  /** Epoch milliseconds. */
  now(): number;
  /** Calls `fn` once after some milliseconds. Returns a function that prevents it. */
  after(ms: number, fn: () => void): () => void;
}

/** An option for tests: no task begins by itself. */
export const STILL: unique symbol = Symbol('floe.still');

export interface KernelOptions {
  readonly initial?: Readonly<Record<string, unknown>>;
  readonly interceptors?: readonly Interceptor[];
  readonly invariants?: 'report' | 'refuse';
  readonly checkPurity?: boolean;
  readonly needs?: readonly { readonly need: object; readonly value: unknown }[];
  readonly clock?: (() => number) | Clock;
  readonly random?: () => number;
  readonly [STILL]?: boolean | undefined;
  readonly onProblem?: (problem: Problem) => void;
}
