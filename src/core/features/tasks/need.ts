// What tasks need from outside.
import { DEV } from '../../base/mode.js';
import { plainName } from '../../model/store.js';

/** Something that tasks need from outside: a service, a client. The runtime is given it, and tests give another. */
export interface Need<T> {
  readonly name: string;
  /** What serves the need, for `createRuntime({ needs })`. A service gives results; it never dispatches. */
  by(value: T): Given;
}

/** A need and what serves it. */
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
  if (DEV) firsts.set(declared, declared);
  return declared;
}

/** Development only: what each need was when its module was evaluated first. A runtime was given what serves that one. */
const firsts = new WeakMap<object, Need<never>>();

/** A need as it was declared first; nothing for what is no need. */
export const firstOf = (need: object): Need<never> | undefined => firsts.get(need);

/** A need that an edited module declares is served by what serves the one before. */
export const declaredAgain = (before: object, after: object): void => void firsts.set(after, firstOf(before)!);
