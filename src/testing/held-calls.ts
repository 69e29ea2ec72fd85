// Calls of a need that wait until a test, or a search, responds.
import { decode, toText } from '../core/internal.js';
import type { Given, Need, NeedOutcomes } from '../core/index.js';
import { noOutcomes, noSuchCall } from './errors.js';
import { rest } from './quiet.js';
import type { Known } from './search/exploration.js';

/** The platform's `AbortSignal`, as far as it is asked here. */
interface Signal {
  readonly aborted: boolean;
  readonly reason: unknown;
  addEventListener(type: 'abort', fn: () => void, how: { readonly once: true }): void;
}

/** Gives what serves a need: each call of a method, or of the need itself where that is a function, goes to `call`. */
export function proxyOf(call: (method: string, args: readonly unknown[]) => unknown): object {
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
): OpenCall & { readonly promise: Promise<unknown>; /** The signal counts from here on. */ begin(): void } {
  let settle!: OpenCall;
  const promise = new Promise((resolve, reject) => (settle = { resolve, reject }));
  // Nothing may wait for it any more.
  promise.catch(() => undefined);
  const stop = (): void => {
    ended();
    settle.reject(signal!.reason);
  };
  const begin = (): void => {
    if (signal?.aborted) stop();
    else signal?.addEventListener('abort', stop, { once: true });
  };
  return { promise, ...settle, begin };
}

/** One call of a need. */
export interface HeldCall {
  readonly need: string;
  /** Empty where the need is a function. */
  readonly method: string;
  /** Its arguments, without the signal that may end it. */
  readonly args: readonly unknown[];
  /** Whether it has no response, and was not ended by its signal. */
  readonly isOpen: boolean;
}

/** Needs whose calls wait until a test responds. */
export interface HeldCalls {
  /** For the option `needs` of `testRuntime`. */
  readonly needs: readonly Given[];
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
  /**
   * Responds with one of the outcomes that the need was given.
   * @param index counted from 0, in the list that `outcomes` gave for the call
   * @throws FLOE_NO_SUCH_CALL, FLOE_NO_OUTCOMES
   */
  outcome(call: number, index: number): Promise<void>;
  /** What a need knows that was given `outcomes` with something to know; as rules of `atRest` get it. */
  readonly known: Known;
}

/**
 * Serves needs of tasks by hand: the test says when each call gets its response, and in which order.
 * @param needs where one is given with its outcomes, `outcome` responds with them, and what it knows is as in `explore`
 * @example
 * const desk = heldCalls(office);
 * const runtime = testRuntime({ stores, needs: desk.needs });
 * void runtime.run(loadVisits('2031-03-02'));
 * void runtime.run(loadVisits('2031-03-03'));
 * await desk.respond(2, [visit]);
 * await desk.respond(1, []);
 */
export function heldCalls(...needs: readonly (Need<never> | Need<unknown> | NeedOutcomes)[]): HeldCalls {
  const calls: (HeldCall & { isOpen: boolean; outcomes: readonly unknown[]; settle: OpenCall })[] = [];
  const knownBy = new Map<string, unknown>();
  const given = needs.map((one): Given => {
    const need = 'need' in one ? one.need : one;
    const service = 'need' in one ? serviceOf(one, (known) => knownBy.set(need.name, known)) : undefined;
    const stub = proxyOf((method, all) => {
      const { args, signal } = dataOf(all);
      const open = openCall(signal, () => (call.isOpen = false));
      const call = {
        need: need.name,
        method,
        args,
        isOpen: true,
        outcomes: service?.(method, args) ?? [],
        settle: open,
      };
      calls.push(call);
      open.begin();
      return open.promise;
    });
    return need.by(stub);
  });
  const settled = async (number: number, settle: (call: (typeof calls)[number]) => void): Promise<void> => {
    // What led to it has happened.
    await rest();
    const call = calls.at(number - 1);
    if (!call?.isOpen || number < 1) throw noSuchCall(number, calls);
    call.isOpen = false;
    settle(call);
    await rest();
  };
  return {
    needs: given,
    calls,
    respond: (call, value) => settled(call, ({ settle }) => settle.resolve(value)),
    fail: (call, error) => settled(call, ({ settle }) => settle.reject(error)),
    outcome: (number, index) =>
      settled(number, ({ need, method, outcomes, settle }) => {
        if (index >= outcomes.length) throw noOutcomes(need, method);
        settleWith(settle, outcomes[index]);
      }),
    known: ((need: Need<unknown>) => knownBy.get(need.name)) as Known,
  };
}

/** Settles a call with one of its outcomes. Returns what it came to. */
export function settleWith(
  settle: OpenCall,
  outcome: unknown,
): { readonly value: unknown } | { readonly error: unknown } {
  let error: unknown = outcome;
  let isError = outcome instanceof Error;
  let value = outcome;
  if (typeof outcome === 'function') {
    try {
      value = (outcome as () => unknown)();
    } catch (thrown) {
      isError = true;
      error = thrown;
    }
  }
  if (isError) settle.reject(error);
  else settle.resolve(value);
  return isError ? { error } : { value };
}

type Methods = Readonly<Record<string, unknown>> | readonly unknown[] | ((...args: never[]) => unknown);

/**
 * What calls of a need may come to: a function that gives the outcomes of a call.
 * @param knows called with a copy of what it knows, where it knows something
 */
export function serviceOf(
  { outcomes }: NeedOutcomes,
  knows: (known: unknown) => void,
): (method: string, args: readonly unknown[]) => readonly unknown[] | undefined {
  const [first, second] = outcomes as readonly [unknown, ((known: unknown) => Methods)?];
  let methods = first as Methods;
  if (second) {
    const known: unknown = decode(JSON.parse(toText(first)));
    knows(known);
    methods = second(known);
  }
  return (method, args) => {
    const of = method === '' ? methods : (methods as Readonly<Record<string, unknown>>)[method];
    const given: unknown = typeof of === 'function' ? (of as (...args: unknown[]) => unknown)(...args) : of;
    return Array.isArray(given) ? (given as readonly unknown[]) : undefined;
  };
}
