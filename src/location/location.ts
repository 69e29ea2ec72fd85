import type { ActionCreator, Draft, Handled, PayloadOf, Store } from '../core/index.js';
import { checkOptions, hasOwn, put, sameData, storeName } from '../core/internal.js';
import type { Codec } from './codec.js';
import { text } from './codec.js';
import { LocationDefinition } from './definition.js';
import { badBase, badValue, noSuchPlace } from './errors.js';
import { PathPattern } from './pattern.js';

type Codecs = Readonly<Record<string, Codec<never> | Codec<string> | Codec<number> | Codec<boolean>>>;
type ValueOf<C> = C extends Codec<infer T> ? T : never;

/** The names of the parameters in a path. */
type NamesIn<P extends string> = P extends `${string}:${infer Rest}`
  ? Rest extends `${infer Name}/${infer After}`
    ? Name | NamesIn<`/${After}`>
    : Rest
  : never;

type ParamsOf<P extends string, C> = { readonly [N in NamesIn<P>]: N extends keyof C ? ValueOf<C[N]> : string };
type QueryOf<Q> = { readonly [K in keyof Q]?: ValueOf<Q[K]> };

/** Where one is: the name of a path with its parameters, the query, and the fragment without its `#`. */
export type Place<P extends Readonly<Record<string, string>>, Q, C> =
  | {
      readonly [K in keyof P & string]: {
        readonly at: K;
        readonly params: ParamsOf<P[K], C>;
        readonly query: QueryOf<Q>;
        readonly fragment: string;
        /** What the query holds beside what is declared: it stays in the address. */
        readonly others: string;
      };
    }[keyof P & string]
  | {
      /** No declared path. */
      readonly at: null;
      readonly params: { readonly url: string };
      readonly query: QueryOf<Q>;
      readonly fragment: string;
      readonly others: string;
    };

/** Where to go: the name of a path, its parameters where it has some, and what of the query should be so. */
export type Going<P extends Readonly<Record<string, string>>, Q, C> = {
  readonly [K in keyof P & string]: {
    readonly at: K;
    /** The whole declared query of the place; what is left out is not in its address. Default: none */
    readonly query?: QueryOf<Q>;
    /** Default: none */
    readonly fragment?: string;
    /** Takes the place of the present entry in the browser's history instead of adding one. Default: false */
    readonly replace?: boolean;
  } & (NamesIn<P[K]> extends never ? { readonly params?: undefined } : { readonly params: ParamsOf<P[K], C> });
}[keyof P & string];

/** Which addresses a store of the address knows. */
export interface LocationOptions<P, Q, C> {
  /** Paths by name. `:id` stands for one segment; the first path that fits counts. */
  readonly paths: P;
  /** What the query may hold, whatever the path. Default: nothing */
  readonly query?: Q;
  /** How parameters are read, by name. Default: as text */
  readonly params?: C;
  /** What all paths begin with. Default: nothing */
  readonly base?: string;
}

/** What becomes of the browser's history. */
export interface EntryOptions {
  /** Takes the place of the present entry instead of adding one. Default: false */
  readonly replace?: boolean;
}

/** The address as a store. */
export type AddressStore<N extends string, P extends Readonly<Record<string, string>>, Q, C> = Store<
  N,
  Place<P, Q, C>
> & {
  /** Going somewhere, as an action. */
  readonly went: ActionCreator<`${N}.went`, [to: Going<P, Q, C>]>;
  /** Some values of the query are others now. */
  readonly queryChanged: QueryChanged<N, Q>;
  /**
   * How the address handles an action from elsewhere. What the change makes of the address adds an entry to the browser's
   * history, as `went` does, unless the options say that it takes the place of the present one.
   */
  when<const H extends Handled>(
    actions: H,
    change: (draft: Draft<Place<P, Q, C>>, ...payload: PayloadOf<H>) => void | Place<P, Q, C>,
    options: EntryOptions,
  ): AddressStore<N, P, Q, C>;
  /** The address of a place, for links. @throws FLOE_BAD_PLACE for one that no address can say */
  href(to: Going<P, Q, C>): string;
  /** The place at an address: a path with its query and fragment. */
  parse(url: string): Place<P, Q, C>;
  /** The address of the present place. It is always one of this site: it begins with one slash. */
  hrefOf(place: Place<P, Q, C>): string;
};

/** The creator of the action that changes some values of the query. */
export interface QueryChanged<N extends string, Q> extends Pick<
  ActionCreator<`${N}.queryChanged`, [payload: QueryChange]>,
  'type' | 'made'
> {
  /**
   * @param query the values that are others now; `undefined` takes one out of the address, what is not named stays
   * @example
   * runtime.dispatch(address.queryChanged({ filter: 'expected' }, { replace: true }));
   */
  (query: QueryOf<Q>, options?: EntryOptions): ActionOfQuery<N>;
}
interface ActionOfQuery<N extends string> {
  readonly type: `${N}.queryChanged`;
  readonly payload: QueryChange;
}
interface QueryChange extends EntryOptions {
  readonly query: Readonly<Record<string, unknown>>;
  /** The names of those that are taken out: JSON has no `undefined`. */
  readonly without?: readonly string[];
}

interface AnyPlace {
  readonly at: string | null;
  readonly params: Readonly<Record<string, unknown>>;
  readonly query: Readonly<Record<string, unknown>>;
  readonly fragment: string;
  readonly others: string;
}

/**
 * Declares the address as a store: where one is, with typed parameters and query. `linkAddress` ties it to a browser.
 * @param name of the store
 * @throws FLOE_BAD_PATH for a path that cannot be read
 * @example
 * export const address = location('address', {
 *   paths: { board: '/', visit: '/visits/:id' },
 *   query: { day: text, filter: oneOf('all', 'expected') },
 * });
 * runtime.dispatch(address.went({ at: 'visit', params: { id: 'v7' } }));
 */
export function location<
  const N extends string,
  const P extends Readonly<Record<string, string>>,
  // Nothing, when left out: not anything.
  // eslint-disable-next-line @typescript-eslint/no-generated-empty-object-type -- no key at all is meant
  Q extends Codecs = Record<never, never>,
  // eslint-disable-next-line @typescript-eslint/no-generated-empty-object-type -- as above
  C extends Codecs = Record<never, never>,
>(name: N, options: LocationOptions<P, Q, C>): AddressStore<N, P, Q, C> {
  checkOptions(`location '${name}'`, options, ['paths', 'query', 'params', 'base']);
  const { paths } = options;
  const base = baseOf(options.base ?? '');
  const query = (options.query ?? {}) as unknown as Record<string, Codec<unknown>>;
  const codecs = (options.params ?? {}) as unknown as Record<string, Codec<unknown>>;
  const patterns = new Map(Object.entries(paths).map(([key, path]) => [key, new PathPattern(path)]));
  const codecOf = (param: string): Codec<unknown> => (hasOwn(codecs, param) ? codecs[param] : text);

  const parse = (url: string): AnyPlace => {
    const [, path, search, fragment] = /^([^?#]*)(?:\?([^#]*))?(?:#(.*))?$/s.exec(url) as unknown as string[];
    const found: Record<string, unknown> = {};
    const others = new URLSearchParams();
    for (const [key, value] of new URLSearchParams(search ?? '')) {
      const read = hasOwn(query, key) ? query[key].read(value) : undefined;
      if (read !== undefined) put(found, key, read);
      else if (!hasOwn(query, key)) others.append(key, value);
    }
    const rest = { query: found, fragment: decodeFragment(fragment ?? ''), others: others.toString() };
    const own = pathOf(path);
    const inside = own === base || own.startsWith(`${base}/`) ? own.slice(base.length) : undefined;
    if (inside !== undefined) {
      for (const [at, pattern] of patterns) {
        const params = pattern.match(inside);
        if (!params) continue;
        const read = Object.entries(params).map(([key, value]) => [key, codecOf(key).read(value)] as const);
        if (read.every(([, value]) => value !== undefined)) return { at, params: Object.fromEntries(read), ...rest };
      }
    }
    return { at: null, params: { url: own }, ...rest };
  };

  /** A value as text that can be read again. */
  const written = (codec: Codec<unknown>, value: unknown, what: string): string => {
    const found = value === undefined ? undefined : wellFormed(codec.write(value));
    if (found === undefined || codec.read(found) === undefined) throw badValue(name, what, value);
    return found;
  };

  const hrefOf = ({ at, params, query: found, fragment, others }: AnyPlace): string => {
    const search = new URLSearchParams();
    for (const key of Object.keys(query))
      if (found[key] !== undefined) search.set(key, written(query[key], found[key], `query '${key}'`));
    for (const [key, value] of new URLSearchParams(others)) if (!hasOwn(query, key)) search.append(key, value);
    const asked = search.toString();
    const after = `${asked && `?${asked}`}${encodeFragment(fragment)}`;
    const pattern = at === null ? undefined : patterns.get(at);
    if (!pattern) {
      if (at !== null) throw noSuchPlace(name, at, [...patterns.keys()]);
      const path = pathOf(typeof params.url === 'string' ? params.url : '');
      // An address that begins with two slashes leads to another host.
      return `${path.startsWith('//') ? '/.' : ''}${path}${after}`;
    }
    const texts = Object.fromEntries(
      pattern.names.map((key) => [key, written(codecOf(key), params[key], `parameter '${key}' of '${String(at)}'`)]),
    );
    const href = base + pattern.path(texts);
    // Another path has this parameter as a part of its own: here it is marked as a parameter.
    return (parse(href).at === at ? href : base + pattern.path(texts, true)) + after;
  };

  const placeOf = (
    { at, params = {}, query: found = {}, fragment = '' }: Partial<AnyPlace>,
    others: string,
  ): AnyPlace => ({ at: at ?? null, params, query: found, fragment, others });

  /** What its address says: equal places are equal data, whatever they were made of. */
  const settled = (place: AnyPlace): AnyPlace => {
    const found = parse(hrefOf(place));
    return sameData(found, place) ? place : found;
  };

  const definition = new LocationDefinition(storeName('A store', name), parse(base === '' ? '/' : base), {
    parse,
    hrefOf,
    settled: settled,
  });
  const address = definition as unknown as Store<N, AnyPlace>;
  const went = address.action('went', (draft, to: Partial<AnyPlace>) => placeOf(to, to.others ?? draft.others));
  const changed = address.action('queryChanged', (draft, { query: values, without = [] }: QueryChange) => {
    for (const key of Object.keys(values)) put(draft.query, key, values[key]);
    for (const key of without) Reflect.deleteProperty(draft.query, key);
  });
  const queryChanged = (values: Readonly<Record<string, unknown>>, entry: EntryOptions = {}): unknown => {
    checkOptions(`${name}.queryChanged`, values, Object.keys(query));
    checkOptions(`${name}.queryChanged`, entry, ['replace']);
    const without = Object.keys(values).filter((key) => values[key] === undefined);
    const given = Object.fromEntries(Object.entries(values).filter(([, value]) => value !== undefined));
    return changed({
      query: given,
      ...(without.length > 0 && { without }),
      ...(entry.replace && { replace: true }),
    });
  };
  return Object.assign(address, {
    went,
    queryChanged: Object.assign(queryChanged, { type: changed.type, made: changed.made, store: changed.store }),
    parse,
    hrefOf,
    href: (to: Partial<AnyPlace>) => hrefOf(placeOf(to, '')),
  }) as unknown as AddressStore<N, P, Q, C>;
}

/** @throws FLOE_BAD_PATH */
function baseOf(base: string): string {
  if (base === '' || base === '/') return '';
  const found = base.endsWith('/') ? base.slice(0, -1) : base;
  if (!found.startsWith('/') || found.startsWith('//') || pathOf(found) !== found) throw badBase(base);
  return found;
}

/** A path as a browser has it: without dots, backslashes and what else would be read as another one. */
const pathOf = (path: string): string =>
  new URL(`http://here/.${path.startsWith('/') ? '' : '/'}${wellFormed(path)}`).pathname;

/** Texts without lone surrogates, which UTF-8 cannot carry (WHATWG Infra, scalar value strings). */
const wellFormed = (found: string): string =>
  found.replace(/[\uD800-\uDBFF](?![\uDC00-\uDFFF])|(?<![\uD800-\uDBFF])[\uDC00-\uDFFF]/g, '\uFFFD');

function decodeFragment(fragment: string): string {
  try {
    return decodeURIComponent(fragment);
  } catch {
    return wellFormed(fragment);
  }
}

/** As little encoded as a fragment can be (RFC 3986, 3.5). */
const encodeFragment = (fragment: string): string =>
  fragment &&
  `#${encodeURIComponent(wellFormed(fragment)).replace(/%(?:2F|3F|3A|40|24|26|2B|2C|3B|3D)/g, decodeURIComponent)}`;
