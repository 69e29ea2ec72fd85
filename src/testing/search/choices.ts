// What may happen next in a story.
import { argumentKey } from '../../core/internal.js';
import type { AnyAction, TaskCall } from '../../core/index.js';

/**
 * One of them. Calls, timers and held actions are counted in the order in which they came, so that a number means the same each time
 * that one story is played.
 */
export type Choice =
  | { readonly does: 'dispatch'; readonly action: AnyAction }
  | { readonly does: 'run'; readonly call: TaskCall<unknown> }
  | { readonly does: 'respond'; readonly call: number; readonly outcome: number }
  | { readonly does: 'wait'; readonly timer: number }
  | { readonly does: 'cancel'; readonly run: number }
  | { readonly does: 'decide'; readonly held: number; readonly proceeds: boolean };

/** A choice under the name that it has in every story that comes to the same. */
export interface NamedChoice {
  readonly name: string;
  readonly choice: Choice;
  /** It depends on the state whether it is there. */
  readonly depends?: boolean;
}

const texts = new WeakMap<object, string>();

/** The name of a choice by what it is made of. */
export function nameOfData(kind: string, of: AnyAction | TaskCall<unknown>): string {
  let text = texts.get(of);
  if (text === undefined) {
    const [what, data] = 'task' in of ? [of.task.name, of.args] : [of.type, 'payload' in of ? [of.payload] : []];
    texts.set(of, (text = `${what} ${argumentKey(what, data)}`));
  }
  return `${kind} ${text}`;
}
