import type { DRAFTED } from '../data/keyed.js';

/**
 * The type of a draft: properties can be assigned even where the state declares them `readonly`, as far down as the data
 * goes. An array declared `readonly` keeps that, so that a value and its draft are assignable to each other: declare
 * `Visit[]` to push, or assign a new array.
 */
export type Draft<S> = S extends string | number | boolean | bigint | null | undefined | Date
  ? S
  : S extends { readonly [DRAFTED]: infer D }
    ? D
    : S extends ReadonlyMap<infer _K, infer _V> | ReadonlySet<infer _T>
      ? S
      : S extends readonly unknown[]
        ? { [K in keyof S]: Draft<S[K]> }
        : S extends object
          ? { -readonly [K in keyof S]: Draft<S[K]> }
          : S;
