// Calls of a need that wait until a test, or a search, responds.
import type { Given, Need } from '../core/index.js';
import { noSuchCall } from './errors.js';
import { rest } from './quiet.js';

/** The platform's `AbortSignal`, as far as it is asked here. */
interface Signal {
  readonly aborted: boolean;
  readonly reason: unknown;
  addEventListener(type: 'abort', fn: () => void, how: { readonly once: true }): void;
}

/** Gives what serves a need: each call of a method, or of the need itself where that is a function, goes to `call`. */
export function standIn(call: (method: string, args: readonly unknown[]) => unknown): object {
  const methods = new Map<PropertyKey, unknown>();
  return new Proxy((...args: unknown[]) => call('', args), {
    get(_target, name) {
      // It is no promise, though `await use(office)` asks.
      if (typeof name === 'symbol' || name === 'then') return undefined;
      let method = methods.get(name);
      if (!method) methods.set(name, (method = (...args: unknown[]) => call(name, args)));
      return method;
    },
  });
}

/** The arguments of a call that are data: without signals, which end it. */
export function dataOf(args: readonly unknown[]): { readonly args: readonly unknown[]; readonly signal?: Signal } {
  let signal: Signal | undefined;
  const isSignal = (value: unknown): value is Signal =>
    typeof value === 'object' && value !== null && 'aborted' in value && 'addEventListener' in value;
  const data = args.map((arg) => {
    if (isSignal(arg)) {
      signal = arg;
      return undefined;
    }
    if (typeof arg !== 'object' || arg === null || Array.isArray(arg)) return arg;
    const found = Object.entries(arg).find(([, part]) => isSignal(part));
    if (!found) return arg;
    signal = found[1] as Signal;
    const { [found[0] as never]: _signal, ...rest } = arg;
    return rest;
  });
  while (data.length > 0 && isEmpty(data[data.length - 1])) data.pop();
  return signal ? { args: data, signal } : { args: data };
}

const isEmpty = (value: unknown): boolean =>
  value === undefined ||
  (typeof value === 'object' && value !== null && !Array.isArray(value) && Object.keys(value).length === 0);

/** A call that waits. */
export interface OpenCall {
  readonly resolve: (value: unknown) => void;
  readonly reject: (error: unknown) => void;
}

/** The promise that a call gives, and how to settle it; `ended` is called when the signal of the caller ends it. */
export function openCall(
  signal: Signal | undefined,
  ended: () => void,
): OpenCall & { readonly promise: Promise<unknown> } {
  let settle!: OpenCall;
  const promise = new Promise((resolve, reject) => (settle = { resolve, reject }));
  const stop = (): void => {
    ended();
    settle.reject(signal!.reason);
  };
  // Nothing may wait for it any more.
  promise.catch(() => undefined);
  if (signal?.aborted) stop();
  else signal?.addEventListener('abort', stop, { once: true });
  return { promise, ...settle };
}

/** One call of a need. */
export interface HeldCall {
  /** Empty where the need is a function. */
  readonly method: string;
  /** Its arguments, without the signal that may end it. */
  readonly args: readonly unknown[];
  /** Whether it has no response, and was not ended by its signal. */
  readonly isOpen: boolean;
}

/** A need whose calls wait until a test responds. */
export interface HeldCalls {
  /** For the option `needs` of `testRuntime`. */
  readonly given: Given;
  /** What was called so far, in that order. */
  readonly calls: readonly HeldCall[];
  /**
   * Responds to a call. Fulfilled when everything has happened that follows without waiting.
   * @param call counted from 1, in the order in which they were made
   * @throws FLOE_NO_SUCH_CALL where there is none, or it is not open
   */
  respond(call: number, value?: unknown): Promise<void>;
  /** Lets a call fail. @throws FLOE_NO_SUCH_CALL */
  fail(call: number, error: unknown): Promise<void>;
}

/**
 * Serves a need of tasks by hand: the test says when each call gets its response, and in which order.
 * @example
 * const desk = heldCalls(office);
 * const runtime = testRuntime({ stores, needs: [desk.given] });
 * void runtime.run(loadVisits('2031-03-02'));
 * void runtime.run(loadVisits('2031-03-03'));
 * await desk.respond(2, [visit]);
 * await desk.respond(1, []);
 */
export function heldCalls<T>(need: Need<T>): HeldCalls {
  const calls: (HeldCall & { isOpen: boolean; settle: OpenCall })[] = [];
  const stub = standIn((method, given) => {
    const { args, signal } = dataOf(given);
    const { promise, ...settle } = openCall(signal, () => void (call.isOpen = false));
    const call = { method, args, isOpen: signal?.aborted !== true, settle };
    calls.push(call);
    return promise;
  });
  const settled = async (number: number, how: 'resolve' | 'reject', value: unknown): Promise<void> => {
    // What led to it has happened.
    await rest();
    const call = calls.at(number - 1);
    if (!call?.isOpen || number < 1) throw noSuchCall(need.name, number, calls);
    call.isOpen = false;
    call.settle[how](value);
    await rest();
  };
  return {
    given: need.by(stub as T),
    calls,
    respond: (call, value) => settled(call, 'resolve', value),
    fail: (call, error) => settled(call, 'reject', error),
  };
}
