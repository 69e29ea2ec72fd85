import { store, type ActionCreator, type Store } from '../core/index.js';
import { checkOptions } from '../core/options.js';
import type { Codec } from './codec.js';
import { text } from './codec.js';
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

/** The address as a store. */
export type AddressStore<N extends string, P extends Readonly<Record<string, string>>, Q, C> = Store<
  N,
  Place<P, Q, C>
> & {
  /** Going somewhere, as an action. */
  readonly went: ActionCreator<`${N}.went`, [to: Going<P, Q, C>]>;
  /** The address of a place, for links. */
  href(to: Going<P, Q, C>): string;
  /** The place at an address: a path with its query and fragment. */
  parse(url: string): Place<P, Q, C>;
  /** The address of the present place. */
  hrefOf(place: Place<P, Q, C>): string;
};

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
  const { paths, base = '' } = options;
  const query = (options.query ?? {}) as unknown as Record<string, Codec<unknown>>;
  const codecs = (options.params ?? {}) as unknown as Record<string, Codec<unknown>>;
  const patterns = new Map(Object.entries(paths).map(([key, path]) => [key, new PathPattern(path)]));
  const codecOf = (param: string): Codec<unknown> => (Object.hasOwn(codecs, param) ? codecs[param] : text);

  const parse = (url: string): AnyPlace => {
    const [, path, search, fragment] = /^([^?#]*)(?:\?([^#]*))?(?:#(.*))?$/s.exec(url) as unknown as string[];
    const found: Record<string, unknown> = {};
    const others = new URLSearchParams();
    for (const [key, value] of new URLSearchParams(search ?? '')) {
      const read = Object.hasOwn(query, key) ? query[key].read(value) : undefined;
      if (read !== undefined) found[key] = read;
      else if (!Object.hasOwn(query, key)) others.append(key, value);
    }
    const rest = { query: found, fragment: decodeFragment(fragment ?? ''), others: others.toString() };
    const inside = base === '' ? path : path.startsWith(base) ? path.slice(base.length) : undefined;
    if (inside !== undefined) {
      for (const [at, pattern] of patterns) {
        const params = pattern.match(inside);
        if (!params) continue;
        const read = Object.entries(params).map(([key, value]) => [key, codecOf(key).read(value)] as const);
        if (read.every(([, value]) => value !== undefined)) return { at, params: Object.fromEntries(read), ...rest };
      }
    }
    return { at: null, params: { url: path }, ...rest };
  };

  const hrefOf = ({ at, params, query: found, fragment, others }: AnyPlace): string => {
    const search = new URLSearchParams();
    for (const key of Object.keys(query)) if (found[key] !== undefined) search.set(key, query[key].write(found[key]));
    for (const [key, value] of new URLSearchParams(others)) search.append(key, value);
    const texts = Object.fromEntries(Object.entries(params).map(([key, value]) => [key, codecOf(key).write(value)]));
    // A place of another day may have a name that is no longer declared.
    const pattern = at === null ? undefined : patterns.get(at);
    const path = pattern ? base + pattern.path(texts) : typeof params.url === 'string' ? params.url : base || '/';
    const asked = search.toString();
    return `${path}${asked && `?${asked}`}${fragment && `#${encodeURI(fragment)}`}`;
  };

  const start: AnyPlace = parse(base === '' ? '/' : base);
  const address = store(name, start);
  const placeOf = (
    { at, params = {}, query: found = {}, fragment = '' }: Partial<AnyPlace>,
    others: string,
  ): AnyPlace => ({
    at: at ?? null,
    params,
    // What is not there is left out, so that equal places are equal data.
    query: Object.fromEntries(Object.entries(found).filter(([, value]) => value !== undefined)),
    fragment,
    others,
  });
  const went = address.action('went', (draft, to: Partial<AnyPlace>) => placeOf(to, to.others ?? draft.others));
  return Object.assign(address, {
    went,
    parse,
    hrefOf,
    href: (to: Partial<AnyPlace>) => hrefOf(placeOf(to, '')),
  }) as unknown as AddressStore<N, P, Q, C>;
}

function decodeFragment(fragment: string): string {
  try {
    return decodeURI(fragment);
  } catch {
    return fragment;
  }
}
