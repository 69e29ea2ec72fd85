// What goes into and comes out of tables, as types: responses as they may come in, rows as they are expanded.
import type { AnyEntity, Entity, KindLink, Links, ListLink, MapLink, OneLink } from './entity.js';
import type { Table } from './table-types.js';

/** The state of a set of tables: under the name of each type, its table. */
export type StateOfTables<Types extends readonly AnyEntity[]> = {
  readonly [E in Types[number] as E['name']]: E extends Entity<string, infer _T, infer F, infer _L> ? Table<F> : never;
};

/** A record as it may come in: any of its fields, with links nested or as keys. */
export type Incoming<E> =
  E extends Entity<string, infer T, infer _F, infer L>
    ? { readonly [K in keyof T]?: K extends keyof L ? IncomingLink<L[K], T[K]> : T[K] }
    : never;

type IncomingLink<L, V> = Extract<V, null | undefined> | null | IncomingOne<L>;
type IncomingOne<L> =
  L extends ListLink<infer S>
    ? readonly IncomingOne<S>[]
    : L extends MapLink<infer S>
      ? Readonly<Record<string, IncomingOne<S> | null>>
      : L extends KindLink<string, infer K>
        ? Incoming<K[keyof K]> | { readonly kind: keyof K; readonly key: string | number } | ByName<K[keyof K]>
        : L extends OneLink<infer E>
          ? IncomingOne<E>
          : L extends AnyEntity
            ? Incoming<L> | string | number
            : unknown;
type ByName<E> = E extends string ? object : never;

/** One less, for small depths; any other number stays one. */
type Less<D extends number> = number extends D
  ? number
  : [0, 0, 1, 2, 3, 4, 5, 6, 7, 8, 9][D] extends infer N extends number
    ? N
    : number;

/**
 * A row with its links expanded: to a depth, or along links named by their paths. `Gone` is what stands for a target
 * that is missing.
 */
export type Expanded<E, Way extends number | string, Gone = never> =
  E extends Entity<string, infer T, infer F, infer L>
    ? {
        readonly [K in keyof F]: K extends keyof L & string
          ? Follows<Way, K> extends true
            ? Extract<F[K], null | undefined> | ExpandedLink<L[K], Below<Way, K>, Gone, Field<T, K>>
            : F[K]
          : F[K];
      }
    : never;

// Without any path left, the way is `never`: it leads no further.
type Follows<Way, K> = [Way] extends [number]
  ? [Way] extends [0]
    ? false
    : true
  : K extends First<Way>
    ? true
    : false;
type Below<Way, K extends string> = [Way] extends [number] ? Less<Way> : Rest<Way, K>;
type First<P> = P extends `${infer K}.${string}` ? K : P;
type Rest<P, K extends string> = P extends `${K}.${infer R}` ? R : never;
type Field<T, K> = K extends keyof T ? T[K] : unknown;
type Item<V> = V extends readonly (infer I)[] ? I : unknown;

type ExpandedLink<L, Way extends number | string, Gone, V> =
  L extends ListLink<infer S>
    ? readonly ExpandedLink<S, Way, Gone, Item<V>>[]
    : L extends MapLink<infer S>
      ? Readonly<Record<string, ExpandedLink<S, Way, Gone, V[keyof V]>>>
      : L extends KindLink<string, infer K>
        ? ExpandedLink<K[keyof K], Way, Gone, V>
        : L extends OneLink<infer E>
          ? ExpandedLink<E, Way, Gone, V>
          : L extends AnyEntity
            ? Expanded<L, Way, Gone> | Gone
            : V | Gone;

/** The paths of links, two deep, for completion; deeper ones may be written, too. */
export type PathsOf<E> = E extends Entity<string, infer _T, infer _F, infer L> ? PathsIn<L> : never;
type PathsIn<L extends Links> = {
  [K in keyof L & string]: K | `${K}.${string}`;
}[keyof L & string];
