// Entity types: what a kind of record is known by, and what it links to.
import type { StandardSchemaV1 } from '@standard-schema/spec';
import { badName, checkChoice, checkOptions, DEV } from '../core/internal.js';
import { noKey } from './errors.js';

/** Says of what type the records are, and nothing at run time: `T` as they are kept, `R` as they come in. */
export interface RowOf<T, R = T> {
  readonly rowOf: true;
  readonly kept?: T;
  readonly response?: R;
}

/**
 * The type of the records of an entity, with nested records at their links. Checks nothing: give `entity` a validator
 * instead where responses are to be checked. Where a field comes in as another type than it is kept, give the type of the
 * response too, and say with `incoming` how one becomes the other.
 * @example
 * const operator = entity('operator', rowOf<Operator>(), { key: 'id' });
 * const tide = entity('tide', rowOf<{ id: string; at: Date }, { id: string; at: string }>(), {
 *   key: 'id',
 *   incoming: (response) => ({ ...response, at: new Date(response.at) }),
 * });
 */
export const rowOf = <T, R = T>(): RowOf<T, R> => ({ rowOf: true });

/** What becomes of a link when the row that it leads to is removed. */
export type Removed = 'refuse' | 'unlink' | 'cascade';

/** Options of a link. */
export interface LinkOptions {
  /**
   * What becomes of the row with the link when its target is removed: the removal is refused, the link is taken out
   * (`null`, or out of the list), or the row goes too. Default: `'refuse'`.
   */
  readonly removed?: Removed;
}

/** Where a link leads: an entity type, or the name of one where types refer to each other in a circle. */
export type Target = AnyEntity | string;

/** A link to one row. */
export interface OneLink<T extends Target = Target> {
  readonly link: 'one';
  readonly target: T;
  readonly removed: Removed;
}
/** A link to one row of one of several types; a field says of which. */
export interface KindLink<
  F extends string = string,
  K extends Readonly<Record<string, Target>> = Readonly<Record<string, Target>>,
> {
  readonly link: 'kind';
  readonly field: F;
  readonly kinds: K;
  readonly removed: Removed;
}
export type Single = Target | OneLink | KindLink;
/** Links to rows, in a list. */
export interface ListLink<S extends Single = Single> {
  readonly link: 'list';
  readonly of: S;
  readonly removed: Removed;
}
/** Links to rows, by key. */
export interface MapLink<S extends Single = Single> {
  readonly link: 'map';
  readonly of: S;
  readonly removed: Removed;
}
/** Of a type without links. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type -- exactly that: no field is a link
export type NoLinks = {};

/** What stands at a field of `links`. */
export type Link = Single | ListLink | MapLink;
export type Links = Readonly<Record<string, Link>>;

/** @param of what a list or map links to: where that says its own rule, it counts */
function rule(options?: LinkOptions, of?: Single): { readonly removed: Removed } {
  checkOptions('A link', options, ['removed']);
  checkChoice('A link', 'removed', options?.removed, ['refuse', 'unlink', 'cascade']);
  const own = typeof of === 'object' && 'link' in of ? of.removed : undefined;
  return { removed: options?.removed ?? own ?? 'refuse' };
}

/**
 * A link to one record, with options; without them the entity type alone says the same.
 * @example
 * links: { vessel: linkTo(vessel, { removed: 'cascade' }) }
 */
export const linkTo = <T extends Target>(target: T, options?: LinkOptions): OneLink<T> => ({
  link: 'one',
  target,
  ...rule(options),
});
/**
 * A link to a list of records: the row holds their keys.
 * @example
 * links: { services: listOf(service, { removed: 'unlink' }) }
 */
export const listOf = <S extends Single>(of: S, options?: LinkOptions): ListLink<S> => ({
  link: 'list',
  of,
  ...rule(options, of),
});
/**
 * A link to records under names: the row holds an object with a key under each name.
 * @example
 * links: { crew: mapOf(officer) } // { crew: { pilot: 'o3', master: 'o9' } }
 */
export const mapOf = <S extends Single>(of: S, options?: LinkOptions): MapLink<S> => ({
  link: 'map',
  of,
  ...rule(options, of),
});
/**
 * A link to a record of one of several types: its field `field` says which. The row holds `{ kind, key }`.
 * @example
 * links: { place: byKind('kind', { berth, anchorage }) }
 */
export const byKind = <F extends string, const K extends Readonly<Record<string, Target>>>(
  field: F,
  kinds: K,
  options?: LinkOptions,
): KindLink<F, K> => ({ link: 'kind', field, kinds, ...rule(options) });

/**
 * What a record is known by: a field, several fields together, or what a function makes of it. Fields must be in what is
 * kept (`T`) as in what comes in (`R`).
 */
export type KeyOf<T, R = T> =
  (keyof T & keyof R & string) | readonly (keyof T & keyof R & string)[] | ((record: T | R) => string | number);

/** `F` and `G` are the flat rows of what is kept, `T`, and of what comes in, `R`. */
export interface EntityOptions<T, F, L extends Links, R = T, G = F> {
  /** The field whose value is the key of a row; a number becomes its decimal text. */
  readonly key: KeyOf<T, R>;
  /** The fields that hold other records, and of which type. Default: none. */
  readonly links?: L;
  /**
   * A row as it should stand in the table, of the row as it came in: dates parsed once, not at every reader. It leaves the
   * key as it is. Default: the row as it came in
   */
  readonly incoming?: (row: G) => F;
  /**
   * What comes of the row that is there and one that comes in. Default: fields of the newer win, fields that it does not
   * have stay; a link is replaced as a whole.
   */
  readonly join?: (older: F, newer: F) => F;
}

/** A declared entity type: its name, the record `T` as the server nests it, the flat row `F`, and its links. */
export interface Entity<N extends string = string, T = unknown, F = unknown, L extends Links = Links> {
  readonly name: N;
  readonly links: L;
  /** The key under which a record would stand in its table. */
  keyOf(record: T): string;
  /** @internal */
  readonly inner: EntityInner;
  /** Only there for the types. */
  readonly types?: { readonly record: T; readonly row: F };
}

/** Any entity type, whatever its rows: for lists of entity types. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- an entity type of any record
export type AnyEntity = Entity<string, any, any, any>;

/** The inside of an entity type. */
export interface EntityInner {
  /** The key as it stands in the record: text or a number; anything else is none. */
  readonly rawKey: (record: Readonly<Record<string, unknown>>) => unknown;
  /** The one field that it is known by, if it is one. */
  readonly keyField: string | undefined;
  /** Whether a row itself says what its key is. */
  readonly hasKey: boolean;
  /** For messages: what it is known by. */
  readonly knownBy: string;
  readonly check: StandardSchemaV1['~standard'] | undefined;
  readonly incoming: ((row: never) => unknown) | undefined;
  readonly join: ((older: never, newer: never) => unknown) | undefined;
}

// ---- types of flat rows ----

/** The row that holds a link: keys in the place of records. */
type FlatRow<T, L extends Links> = T extends object
  ? { [K in keyof T]: K extends keyof L ? FlatLink<L[K], T[K]> : T[K] }
  : T;

/** Keeps `null` and `undefined` of the nested field. */
type FlatLink<L, V> = FlatSingle<L> | Extract<V, null | undefined>;
type FlatSingle<L> =
  L extends ListLink<infer S>
    ? FlatSingle<S>[]
    : L extends MapLink<infer S>
      ? Record<string, FlatSingle<S>>
      : L extends KindLink<string, infer K>
        ? { readonly kind: keyof K & string; readonly key: string }
        : string;

/** The flat row of an entity type. */
export type RowIn<E> = E extends Entity<string, infer _T, infer F, infer _L> ? F : never;
/** The record of an entity type, as the server nests it. */
export type RecordOf<E> = E extends Entity<string, infer T, infer _F, infer _L> ? T : never;

/**
 * Declares a type of records that are known by a key.
 * @param name its name, and that of its table
 * @param row `rowOf<T>()`, or a validator that implements Standard Schema: the flat row is checked as it comes in
 * @throws FLOE_BAD_NAME when the name is empty or holds '.' or '/'
 * @example
 * const vessel = entity('vessel', rowOf<Vessel>(), { key: 'hull', links: { operator } });
 */
export function entity<N extends string, T, R, const L extends Links = NoLinks>(
  name: N,
  row: RowOf<T, R>,
  options: EntityOptions<T, FlatRow<T, L>, L, R, FlatRow<R, L>> & MustParse<T, R, FlatRow<T, L>, FlatRow<R, L>>,
): Entity<N, R, FlatRow<T, L>, L>;
export function entity<N extends string, F, const L extends Links = NoLinks>(
  name: N,
  row: StandardSchemaV1<unknown, F>,
  options: EntityOptions<F, F, L>,
): Entity<N, NestedAny<F, L>, F, L>;
export function entity(
  name: string,
  row: RowOf<unknown, unknown> | StandardSchemaV1,
  // eslint-disable-next-line @typescript-eslint/no-explicit-any -- the options of any entity type
  options: EntityOptions<any, any, any>,
): AnyEntity {
  checkOptions(`The entity type '${name}'`, options, ['key', 'links', 'incoming', 'join']);
  // eslint-disable-next-line @typescript-eslint/no-unsafe-assignment -- as above
  const { key, links = {}, incoming, join } = options;
  if (typeof name !== 'string' || name === '' || /[./]/.test(name)) throw badName('An entity type', name);
  const rawKey = keyReader(key as KeyOf<Record<string, unknown>>);
  const knownBy = typeof key === 'function' ? 'what its key function gives' : `'${[key].flat().join("', '")}'`;
  const inner: EntityInner = {
    rawKey,
    keyField: typeof key === 'string' ? key : undefined,
    hasKey: typeof key !== 'function',
    knownBy: DEV ? knownBy : '',
    check: '~standard' in row ? row['~standard'] : undefined,
    incoming,
    join,
  };
  return {
    name,
    links: links as Links,
    inner,
    keyOf(record: Record<string, unknown>) {
      const found = rawKey(record);
      if (!isKey(found)) throw noKey({ name, knownBy }, '', found);
      return String(found);
    },
  };
}

/** Where what is kept is of another type than what comes in, something must lead from one to the other. */
type MustParse<T, R, F, G> = [R] extends [T] ? unknown : { readonly incoming: (row: G) => F };

/** With a validator, the record as it is nested is only known to have the row's fields, and anything at its links. */
type NestedAny<F, L extends Links> = { [K in keyof F]: K extends keyof L ? unknown : F[K] };

export const isKey = (value: unknown): value is string | number =>
  typeof value === 'string' ||
  (typeof value === 'number' && (Number.isInteger(value) ? Number.isSafeInteger(value) : Number.isFinite(value)));

function keyReader(key: KeyOf<Record<string, unknown>>): EntityInner['rawKey'] {
  if (typeof key === 'function') return key;
  if (typeof key === 'string') return (record) => record[key];
  // Escaped, so that no two lists of parts make one text.
  const part = (value: unknown): string => String(value).replaceAll('%', '%25').replaceAll(':', '%3A');
  return (record) => {
    const parts = key.map((field) => record[field]);
    const bad = parts.find((found) => !isKey(found));
    return parts.every(isKey) ? parts.map(part).join(':') : bad;
  };
}

/** Whether a link is more than a target alone. */
export const linkOf = (link: Link): OneLink | KindLink | ListLink | MapLink =>
  typeof link === 'string' || !('link' in link) ? { link: 'one', target: link, removed: 'refuse' } : link;
