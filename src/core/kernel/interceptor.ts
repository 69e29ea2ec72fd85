// Interceptors decide whether an action goes on: now, later, changed, or not at all.
import type { About, AnyAction, DispatchResult } from '../model/action.js';
import { closed, proceededTwice } from '../base/errors.js';
import type { Read } from '../model/source.js';

/** What an interceptor can do. It calls `proceed` or `stop` once, now or later. */
export interface InterceptorTools {
  /** Lets the action go on, or another one in its place. */
  proceed(action?: AnyAction): DispatchResult;
  /** Ends it here. The action stays visible in the trace, with the reason. */
  stop(reason?: string): void;
  /** Reads any source. */
  readonly read: Read;
  /** What was declared about the action. */
  readonly about: About | undefined;
}

/** Decides about actions before any store sees them. */
export type Interceptor = (action: AnyAction, tools: InterceptorTools) => void;

interface Decision {
  readonly action: AnyAction;
  readonly interceptors: readonly { readonly name: string; readonly fn: Interceptor }[];
  readonly about: About | undefined;
  readonly read: Read;
  readonly apply: (action: AnyAction) => DispatchResult;
  readonly stopped: (reason: string | undefined) => void;
  /** Throws where nothing can be decided: inside a change or a selector. */
  readonly mayDecide: (what: string) => void;
  /** Runs an interceptor: what it dispatches meanwhile comes from it. */
  readonly around: (interceptor: () => void) => void;
  /** Notes that the action waits; the given function ends the waiting from outside. Returns how to note its end. */
  readonly wait: (end: () => void) => () => void;
}

/** Asks the interceptors in turn. */
export function decide(decision: Decision): DispatchResult {
  return ask(decision, decision.action, 0);
}

function ask(decision: Decision, action: AnyAction, index: number): DispatchResult {
  const next = decision.interceptors[index];
  if (!next) return decision.apply(action);
  let result: DispatchResult | undefined;
  let ended = false;
  let waitingOver: () => void = () => undefined;
  const once = (what: string): void => {
    decision.mayDecide(what);
    if (ended) throw closed(`proceed for '${action.type}'`);
    if (result !== undefined) throw proceededTwice(action.type);
    waitingOver();
  };
  const stop = (reason?: string): void => {
    once('stop');
    result = 'stopped';
    decision.stopped(reason);
  };
  decision.around(() =>
    next.fn(action, {
      proceed(passed = action) {
        once('proceed');
        result = 'waiting';
        return (result = ask(decision, passed, index + 1));
      },
      stop,
      read: decision.read,
      about: decision.about,
    }),
  );
  if (result !== undefined) return result;
  waitingOver = decision.wait(() => {
    stop('closed');
    ended = true;
  });
  return 'waiting';
}
