// What tasks need from outside.
import { DEV } from '../../base/mode.js';
import { plainName } from '../../model/store.js';

/** Something that tasks need from outside: a service, a client. The runtime is given it, and tests give another. */
export interface Need<T> {
  readonly name: string;
  /** What serves the need, for `createRuntime({ needs })`. A service gives results; it never dispatches. */
  by(value: T): Given;
  /**
   * For `explore` of `floe/testing`: what calls of its methods may come to. A list gives the values; an `Error` in it rejects the call.
   * A function gives that list for the arguments of a call, when it is called.
   * @example
   * explore({ stores, examples: [loadVisits('2031-03-02')], needs: [office.outcomes({ visits: [[visit], new Error('down')] })] });
   */
  outcomes(of: Outcomes<T>): NeedOutcomes;
  /**
   * The same for a service that knows something: `known` is plain data that the functions may edit; each path of the search has its own.
   * @example
   * office.outcomes({ saved: 0 }, (known) => ({ save: () => [++known.saved, new Error('The response was lost')] }))
   */
  outcomes<K extends object>(known: K, of: (known: K) => Outcomes<T>): NeedOutcomes;
}

/** What a call may come to: a value, an `Error` that it rejects with, or a function that is called when the service responds. */
export type CallOutcome<R> = Awaited<R> | Error | (() => Awaited<R>);

type OutcomesOfCall<F> = F extends (...args: infer A) => infer R
  ? readonly CallOutcome<R>[] | ((...args: A) => readonly CallOutcome<R>[])
  : never;

/** What the calls of a need may come to, by the names of its methods; of a need that is a function, of that. */
export type Outcomes<T> = T extends (...args: never[]) => unknown
  ? OutcomesOfCall<T>
  : { readonly [M in keyof T]?: OutcomesOfCall<T[M]> };

/** What `outcomes` of a need gives. */
export interface NeedOutcomes {
  readonly need: Need<never>;
  /** What was given to `outcomes`. */
  readonly outcomes: readonly unknown[];
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
    outcomes: (...outcomes: unknown[]) => ({ need: declared, outcomes }),
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
