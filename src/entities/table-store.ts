// What an application sees of a store of tables.
import type { ActionCreator, ActionOf, ActionOptions, COPIED, Copied, Source, Store } from '../core/internal.js';
import type { AnyEntity, RowIn } from './entity.js';
import type { Ingested, IngestOptions } from './ingested.js';
import type { LinkedRow } from './link-rules.js';
import type { Group, Rows } from './rows.js';
import type { Expanded, Incoming, PathsOf, StateOfTables } from './types.js';
import type { GroupedView, ViewOptions } from './view.js';

/** The key of a row; a number means its decimal text. */
export type RowKey = string | number;

/** What `missing` leaves in the place of a row that is not there. */
type Gone<M> = M extends 'error' ? never : null;

/** A store of tables, with the actions and sources that all tables have. */
export interface TableStore<N extends string, Types extends readonly AnyEntity[]> extends Store<
  N,
  StateOfTables<Types>
> {
  /** Nested records into flat rows, in one transition. Rows in which nothing differs stay as they are. */
  readonly ingest: Ingest<N, Types>;
  /** Puts flat rows in the place of those with their keys, or at the end. */
  put<E extends Types[number]>(type: E, rows: RowIn<E> | readonly RowIn<E>[]): RowsAction<`${N}.put`>;
  /** Gives some fields of a row new values. @throws FLOE_NO_KEY where they say another key */
  merge<E extends Types[number]>(type: E, key: RowKey, part: Partial<RowIn<E>>): RowsAction<`${N}.merge`>;
  /** Takes rows out; the links to them go by the rules declared there. */
  remove(type: Types[number], keys: RowKey | readonly RowKey[]): RowsAction<`${N}.remove`>;
  /** Takes all rows out of the tables of these types, or of all; links to them go by the rules declared there. */
  clear(...types: Types[number][]): RowsAction<`${N}.clear`>;
  /** Drops all rows that cannot be reached from the roots given: keys by type, or `'all'` rows of a type. */
  prune(roots: { readonly [E in Types[number]['name']]?: readonly RowKey[] | 'all' }): RowsAction<`${N}.prune`>;

  /** One flat row; `undefined` when there is none. */
  one<E extends Types[number]>(type: E, key: RowKey): Source<RowIn<E> | undefined>;
  /** Whether there is a row with a key. */
  has(type: Types[number], key: RowKey): Source<boolean>;
  /** The rows of some keys, in the order of the keys; those that are not there are left out. */
  many<E extends Types[number]>(type: E, keys: readonly RowKey[]): Source<readonly RowIn<E>[]>;
  /** A maintained view in groups: the rows of each, under the value that they share. */
  all<E extends Types[number], K extends keyof RowIn<E> & string, G extends readonly unknown[] = readonly []>(
    type: E,
    options: GroupedView<RowIn<E>, K, G>,
  ): Source<Rows<Group<RowIn<E>, RowIn<E>[K]>>>;
  all<E extends Types[number], K, G extends readonly unknown[] = readonly []>(
    type: E,
    options: GroupedView<RowIn<E>, (row: RowIn<E>, ...given: G) => K, G>,
  ): Source<Rows<Group<RowIn<E>, K>>>;
  /** A maintained view: the rows that fulfil the conditions, in order. */
  all<E extends Types[number], G extends readonly unknown[] = readonly []>(
    type: E,
    options?: ViewOptions<RowIn<E>, G>,
  ): Source<Rows<RowIn<E>>>;
  /** How many rows fulfil the conditions; maintained. */
  count<E extends Types[number], G extends readonly unknown[] = readonly []>(
    type: E,
    options?: Pick<ViewOptions<RowIn<E>, G>, 'where' | 'given'>,
  ): Source<number>;
  /** The nested view of one row; memoised, and shared where nothing changed. `undefined` when there is no such row. */
  expand<E extends Types[number], const P extends PathsOf<E>, M extends 'null' | 'error' = 'null'>(
    type: E,
    key: RowKey,
    options: { readonly along: readonly P[]; readonly missing?: M },
  ): Source<Expanded<E, P, Gone<M>> | undefined>;
  expand<E extends Types[number], D extends number = 1, M extends 'null' | 'error' = 'null'>(
    type: E,
    key: RowKey,
    options?: { readonly depth?: D; readonly missing?: M },
  ): Source<Expanded<E, D, Gone<M>> | undefined>;
  /** The rows that link to a row. */
  linkedFrom(type: Types[number], key: RowKey): Source<readonly LinkedRow[]>;

  readonly [COPIED]?: TablesCopied<Types>;
}

interface TablesCopied<Types extends readonly AnyEntity[]> extends Copied {
  readonly copy: TableStore<this['label'], Types>;
}

/** An action on rows; its payload is plain data. */
export interface RowsAction<T extends string> {
  readonly type: T;
  readonly payload: unknown;
}

/** The creator of `ingest`, whose payload others can handle: `when(port.ingest, (draft, { keys }) => ...)`. */
export interface Ingest<N extends string, Types extends readonly AnyEntity[]> extends Pick<
  ActionCreator<`${N}.ingest`, [payload: Ingested]>,
  'type' | 'about' | 'made'
> {
  /**
   * @param response a record, or a list of them; fields that are missing are left as they are
   * @throws FLOE_NO_KEY and others, with the path into the response; then no row of it lands
   */
  <E extends Types[number]>(
    type: E,
    response: Incoming<E> | readonly Incoming<E>[],
    options?: { readonly skip?: boolean },
  ): ActionOf<`${N}.ingest`, [payload: Ingested]>;
  <E extends Types[number]>(
    type: E,
    response: unknown,
    options: IngestOptions & { readonly at: string },
  ): ActionOf<`${N}.ingest`, [payload: Ingested]>;
  /** The action of rows that are flat already. */
  (payload: Ingested): ActionOf<`${N}.ingest`, [payload: Ingested]>;
}

/** The actions that every store of tables has. */
export const READY_MADE = ['ingest', 'put', 'merge', 'remove', 'clear', 'prune'] as const;
export type ReadyMade = (typeof READY_MADE)[number];

export interface TablesOptions {
  /**
   * What interceptors find as `about` of the actions that every store of tables has, by their names. Default: nothing
   * @example
   * tables('port', [berth, visit], { about: { remove: { confirm: 'Remove it for good?' } } });
   */
  readonly about?: { readonly [A in ReadyMade]?: ActionOptions['about'] };
}
