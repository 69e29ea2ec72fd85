// Interceptors decide whether an action goes on: now, later, changed, or not at all.
import type { About, AnyAction, AnyCreator } from './action.js';
import { encode } from './encode.js';
import { closed, messageOf, proceededTwice } from './errors.js';
import { tell } from './host.js';
import { checkOptions } from './options.js';
import type { DispatchResult } from './runtime.js';
import type { Read } from './source.js';

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

export interface ActionLogOptions {
  /** Gets each line. Default: the console. */
  readonly write?: (line: string) => void;
  /** Actions that are not written, by creator or type. Default: none. */
  readonly ignore?: readonly (AnyCreator | string)[];
}

/** Characters: a longer payload is cut. */
const LONGEST_PAYLOAD = 200;

/**
 * A ready-made interceptor: writes a line for every action, with what became of it and its payload as JSON.
 * @example
 * createRuntime({ interceptors: [actionLog({ ignore: [positionReported] })] });
 * // visits.planned applied {"id":"v7","vessel":"Far Lodestar"}
 */
export function actionLog(options: ActionLogOptions = {}): Interceptor {
  checkOptions('actionLog', options, ['write', 'ignore']);
  const { write = tell, ignore = [] } = options;
  const ignored = new Set(ignore.map((one) => (typeof one === 'string' ? one : one.type)));
  return (action, { proceed }) => {
    if (ignored.has(action.type)) return void proceed();
    const payload = 'payload' in action ? ` ${shortened(JSON.stringify(encode(action.payload)))}` : '';
    let result: string;
    try {
      result = proceed();
    } catch (error) {
      write(`${action.type} failed: ${messageOf(error)}${payload}`);
      throw error;
    }
    write(`${action.type} ${result}${payload}`);
  };
}

const shortened = (text: string): string =>
  text.length <= LONGEST_PAYLOAD ? text : `${text.slice(0, LONGEST_PAYLOAD)}...`;

/**
 * A ready-made interceptor: an action declared with `about: { confirm: 'Cancel this visit?' }` waits until the question
 * is answered.
 * @param ask gets the question; answers now or later
 */
export const confirmation =
  (ask: (question: string, action: AnyAction) => boolean | PromiseLike<boolean>): Interceptor =>
  (action, { about, proceed, stop }) => {
    const question = about?.confirm;
    if (typeof question !== 'string') return void proceed();
    const answer = ask(question, action);
    const settle = (yes: boolean): void => {
      if (yes) proceed();
      else stop('not confirmed');
    };
    if (typeof answer === 'boolean') settle(answer);
    else answer.then(settle, () => stop('not confirmed'));
  };
