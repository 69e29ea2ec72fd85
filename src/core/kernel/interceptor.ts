// Interceptors decide whether an action goes on: now, later, changed, or not at all.
import type { About, AnyAction, DispatchResult } from '../model/action.js';
import { badName, closed, notAnInterceptor, proceededTwice } from '../base/errors.js';
import type { Read } from '../model/source.js';
import { isThenable } from './compute.js';
import type { Transition } from './transition.js';

/** What an interceptor can do. It calls `proceed` or `stop` once, now or later. */
export interface InterceptorTools {
  /** Lets the action go on, or another one in its place. */
  proceed(action?: AnyAction): DispatchResult;
  /** Ends it here. The action stays visible in the trace, with the reason. */
  stop(reason?: string): void;
  /**
   * Dispatches another action, now or later; its step names the action that is decided. `runtime.dispatch` does so only as long
   * as the interceptor has not returned.
   */
  dispatch(action: AnyAction): DispatchResult;
  /** Reads any source. */
  readonly read: Read;
  /** What was declared about the action. */
  readonly about: About | undefined;
}

/**
 * Decides about actions before any store sees them. What an asynchronous one throws goes to `onProblem`, and the action is
 * stopped where it is not decided yet.
 */
export type Interceptor = (action: AnyAction, tools: InterceptorTools) => unknown;

/** An interceptor under its name. */
interface Named {
  readonly name: string;
  readonly fn: Interceptor;
}

/** The action that an interceptor decides about, and its transition, or else the one that led to it. */
export interface Deciding {
  action: AnyAction;
  of: Transition | undefined;
}

/** The interceptors of a runtime, and what they are at. */
export class Interception {
  readonly list: Named[];
  /** There while an interceptor runs. */
  deciding: Deciding | undefined;
  /** What interceptors hold: functions that end it. */
  readonly waiting = new Set<() => void>();

  constructor(interceptors: readonly Interceptor[]) {
    this.list = interceptors.map((fn) => ({ name: fn.name, fn }));
  }

  /**
   * @returns a function that removes it
   * @throws FLOE_BAD_NAME, FLOE_NOT_AN_INTERCEPTOR
   */
  add(name: string, fn: Interceptor): () => void {
    if (typeof name !== 'string' || name === '') throw badName('An interceptor', name);
    if (typeof fn !== 'function') throw notAnInterceptor(name);
    const added = { name, fn };
    this.list.push(added);
    return () => {
      const index = this.list.indexOf(added);
      if (index >= 0) this.list.splice(index, 1);
    };
  }
}

interface DecisionSteps {
  readonly action: AnyAction;
  readonly interceptors: readonly Named[];
  readonly about: About | undefined;
  readonly read: Read;
  readonly dispatch: (action: AnyAction) => DispatchResult;
  readonly apply: (action: AnyAction) => DispatchResult;
  readonly stopped: (reason: unknown) => void;
  /** An interceptor threw later, when no caller waits for it. */
  readonly problem: (error: unknown) => void;
  /** Throws where nothing can be decided: inside a change or a selector. */
  readonly mayDecide: (what: string) => void;
  /** Runs an interceptor: what it dispatches meanwhile comes from it. */
  readonly around: (interceptor: () => void) => void;
  /** Notes that the action waits; the given function ends the waiting from outside. Returns how to note its end. */
  readonly wait: (end: () => void) => () => void;
}

/** Asks the interceptors in turn. */
export function decide(decision: DecisionSteps): DispatchResult {
  return ask(decision, decision.action, 0);
}

function ask(decision: DecisionSteps, action: AnyAction, index: number): DispatchResult {
  const next = decision.interceptors[index];
  if (!next) return decision.apply(action);
  let result: DispatchResult | undefined;
  /** Why it can no longer be decided. */
  let over: Error | undefined;
  let waitingOver: () => void = () => undefined;
  const once = (what: string): void => {
    decision.mayDecide(what);
    if (over) throw over;
    if (result !== undefined) throw proceededTwice(action.type);
    waitingOver();
  };
  const stopWith = (reason: unknown): void => {
    once('stop');
    result = 'stopped';
    decision.stopped(reason);
  };
  let returned: unknown;
  try {
    decision.around(() => {
      returned = next.fn(action, {
        proceed(passed = action) {
          once('proceed');
          result = 'waiting';
          try {
            return (result = ask(decision, passed, index + 1));
          } catch (error) {
            // Nothing waits any more, whether the interceptor catches it or not.
            result = 'stopped';
            throw error;
          }
        },
        stop: stopWith,
        dispatch: decision.dispatch,
        read: decision.read,
        about: decision.about,
      });
    });
  } catch (error) {
    if (result === undefined) stopWith(error);
    throw error;
  }
  if (isThenable(returned))
    returned.then(undefined, (error: unknown) => {
      decision.problem(error);
      if (result === undefined && !over) stopWith(error);
    });
  if (result !== undefined) return result;
  try {
    waitingOver = decision.wait(() => {
      stopWith('closed');
      over = closed(`proceed for '${action.type}'`);
    });
  } catch (error) {
    over = error as Error;
    throw error;
  }
  return 'waiting';
}
