import type { ActionCreator, Draft, Handled, PayloadOf, Store } from '../core/index.js';
import { checkOptions, put, storeName } from '../core/internal.js';
import type { Codec } from './codec.js';
import { LocationDefinition } from './definition.js';
import { PlaceSpelling, type AnyPlace } from './spelling.js';

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

/** The action that changes some values of the query: what `queryChanged` gives, for a function of your own that calls it. */
export interface ActionOfQuery<N extends string> {
  readonly type: `${N}.queryChanged`;
  readonly payload: QueryChange;
}

/** What that action carries: the values that are others now, by name. */
export interface QueryChange extends EntryOptions {
  readonly query: Readonly<Record<string, unknown>>;
  /** The names of those that are taken out: JSON has no `undefined`. */
  readonly without?: readonly string[];
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
  const query = (options.query ?? {}) as Record<string, unknown>;
  const spelling = new PlaceSpelling(name, options);
  const placeOf = (
    { at, params = {}, query: found = {}, fragment = '' }: Partial<AnyPlace>,
    others: string,
  ): AnyPlace => ({ at: at ?? null, params, query: found, fragment, others });

  const definition = new LocationDefinition(storeName('A store', name), spelling.begin, spelling);
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
    parse: spelling.parse,
    hrefOf: spelling.hrefOf,
    href: (to: Partial<AnyPlace>) => spelling.hrefOf(placeOf(to, '')),
  }) as unknown as AddressStore<N, P, Q, C>;
}
