// What tasks need from outside.
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
  return declared;
}
