// Interceptors that are ready to use.
import { messageOf } from '../base/errors.js';
import { tell } from '../base/host.js';
import { checkOptions } from '../base/options.js';
import { encode } from '../data/encode.js';
import type { Interceptor } from '../kernel/interceptor.js';
import type { AnyAction, AnyCreator } from '../model/action.js';

/** Options of `actionLog`. */
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
 * @param ask gets the question, and the action; returns whether it may proceed, now or later. Where it throws or rejects, the
 * action is stopped, and the error is reported
 * @example
 * createRuntime({ interceptors: [confirmation((question) => window.confirm(question))] });
 */
export const confirmation =
  (ask: (question: string, action: AnyAction) => boolean | PromiseLike<boolean>): Interceptor =>
  (action, { about, proceed, stop }) => {
    const question = about?.confirm;
    if (typeof question !== 'string') {
      proceed();
      return;
    }
    const answer = ask(question, action);
    const settle = (yes: boolean): void => {
      if (yes) proceed();
      else stop('not confirmed');
    };
    // What `ask` rejects with, and what the change throws then, goes to `onProblem`.
    if (typeof answer !== 'boolean') return answer.then(settle);
    settle(answer);
  };
