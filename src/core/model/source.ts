// Everything that can be read: stores, selectors with their arguments, parts of a store.
import { encode } from '../data/encode.js';
import { badArgument, badName, notASource } from '../base/errors.js';
import { DEV } from '../base/mode.js';
import { checkChoice, checkOptions } from '../base/options.js';
import { DERIVATION, foreign, SELECTOR, SOURCE } from '../base/protocol.js';
import { copiedWhere } from '../data/copied.js';
import { isContainer, isDate, isMap, isSet, sameData } from '../data/plain.js';
import type { StoreDefinition } from './store.js';

/** Something that `read`, `watch`, `follow` and `select` take: a store, a selector with its arguments, or an `at`. */
export interface Source<out T> {
  readonly [SOURCE]: Recipe<T>;
}

/** Reads a source. Handed to selectors and to `follow`, it notes what was read. */
export type Read = <T>(source: Source<T>) => T;

/** Reads the whole of one part of a store, by the way to it; the fallback where there is nothing. */
export type ReadPart = (store: StoreDefinition, way: readonly string[], fallback?: unknown) => unknown;

/** When a result counts as unchanged: the same value, deeply equal data, or as a function says. */
export type Equality<T> = 'same' | 'deep' | ((before: T, after: T) => boolean);

/** Options of a selector. */
export interface SelectorOptions<T> {
  /** When a new result counts as unchanged, so that no watcher is notified. Default: `'same'`. */
  readonly equal?: Equality<T>;
  /** How many unwatched results a runtime caches for different arguments. Default: 100. */
  readonly keep?: number;
}

/** How a selector derives its value: shared by all of its calls. */
export interface Derivation {
  /** Unlike that of any other; small, so that it can be an index. */
  readonly id: number;
  readonly name: string;
  /** The store whose state is handed to `derive`; without one it is handed `read`. */
  readonly store: StoreDefinition | undefined;
  readonly derive: (from: never, ...args: never[]) => unknown;
  /** When a result that is another value counts as unchanged; never, without one. */
  readonly equal: ((before: unknown, after: unknown) => boolean) | undefined;
  readonly keep: number;
  /**
   * Instead of `derive`: makes the function that derives, once for each value that a runtime keeps, so that it may remember
   * what it did before.
   */
  readonly starting?: undefined | ((...args: never[]) => (read: Read, part: ReadPart) => unknown);
}

/** One source: a derivation and its arguments. `key` is equal for equal arguments. */
export interface Recipe<out T> {
  readonly of: Derivation | StoreDefinition;
  readonly args: readonly unknown[];
  readonly key: string;
  /** The id of an early selector without arguments, for the quickest way to its value; else `NO_BARE`. */
  readonly bare: number;
  /** Only there for the type of the value. */
  readonly value?: T;
}

/** A selector: a source as it is when it has no arguments, else a function from its arguments to a source. */
export type Selector<T, A extends readonly unknown[] = []> = A extends readonly []
  ? Source<T> & (() => Source<T>)
  : [] extends A
    ? Source<T> & ((...args: A) => Source<T>)
    : (...args: A) => Source<T>;

const DEFAULT_KEEP = 100;
// The last is Floe's own.
const SELECTOR_OPTIONS = ['equal', 'keep', 'starting'];

/** An id that nothing has. */
export const NO_BARE = 0;
/** Selectors declared after so many others go the longer way: one that is made at each call would be kept for good. */
const MOST_BARE = 2000;
let ids = NO_BARE + 1;
/** An id for a derivation or a store. */
export const nextId = (): number => ids++;

const equalities = { same: undefined, deep: sameData };

/** Makes the selector of a derivation. */
export function makeSelector(
  name: string,
  store: StoreDefinition | undefined,
  derive: (from: never, ...args: never[]) => unknown,
  options: SelectorOptions<never> & Pick<Derivation, 'starting'> = {},
): unknown {
  const { equal = 'same', keep = DEFAULT_KEEP } = options;
  const what = DEV && `The selector '${name}'`;
  if (what) {
    checkOptions(what, options, SELECTOR_OPTIONS);
    if (typeof equal !== 'function') checkChoice(what, 'equal', equal, ['same', 'deep']);
  }
  const of: Derivation = {
    id: nextId(),
    name,
    store,
    derive,
    equal: (typeof equal === 'string' ? equalities[equal] : equal) as unknown as Derivation['equal'],
    keep,
    starting: options.starting,
  };
  return selectorOf(of);
}

/** A selector for parts of one store, read as a whole by a direct way; its arguments are a key and a fallback. */
export const partSelector = (
  name: string,
  store: StoreDefinition,
  wayTo: (key: string) => readonly string[],
): ((key: string, fallback?: unknown) => Source<unknown>) =>
  makeSelector(name, undefined, (_read, key: never, _fallback) => key, {
    starting(key: string, fallback: unknown) {
      const way = wayTo(key);
      return (_read: Read, part: ReadPart) => part(store, way, fallback);
    },
  }) as never;

/** The selector of a derivation, as a user calls it. */
export function selectorOf(of: Derivation): unknown {
  // Named by its key: defining the name afterwards would make the function slow to read from, and it is read on every run.
  const { [of.name]: call } = {
    [of.name]: (...args: unknown[]): Source<unknown> =>
      args.length === 0
        ? (call as unknown as Source<unknown>)
        : // The caller's own objects may become others later.
          {
            [SOURCE]: {
              of,
              key: argumentKey(of.name, args),
              args: args.map(copied),
              bare: NO_BARE,
            },
          },
  };
  const marks = call as unknown as { [DERIVATION]: Derivation; [SELECTOR]: true; [SOURCE]: Recipe<unknown> };
  marks[DERIVATION] = of;
  marks[SELECTOR] = true;
  // With required arguments the bare selector is no source; only its declared parameters can tell.
  if (of.derive.length <= 1) marks[SOURCE] = { of, args: [], key: '', bare: of.id < MOST_BARE ? of.id : NO_BARE };
  return call;
}

/**
 * Declares a value derived from any number of stores and selectors. It runs again only if something that it read
 * changed.
 * @param name for messages and tools
 * @param derive gets `read`, then the arguments; it must not change anything
 * @example
 * const crowded = selector('crowded', (read) => read(expected).length > read(freeBerths).length);
 */
export function selector<T, A extends readonly unknown[]>(
  name: string,
  derive: (read: Read, ...args: A) => T,
  options?: SelectorOptions<T>,
): Selector<T, A> {
  if (typeof name !== 'string' || name === '') throw badName('A selector', name);
  return makeSelector(name, undefined, derive as never, options) as Selector<T, A>;
}

/** The recipe of a source, or a clear error. */
export function recipeOf<T>(source: Source<T>): Recipe<T> {
  const recipe = (source as Partial<Source<T>> | null | undefined)?.[SOURCE];
  if (!recipe) throw foreign(source) ?? notASource(source);
  return recipe;
}

/** The derivation of a function that is written in a component. Each hold has an entry of its own for it. */
export const INLINE: Derivation = {
  id: nextId(),
  name: 'inline selection',
  store: undefined,
  derive: (read: Read, fn: (read: Read) => unknown) => fn(read),
  // It makes another list or object at each run, mostly with what was in the last one.
  equal: sameData,
  keep: 0,
};

/** The recipe of a function written where it is used, for bindings. */
export const inlineRecipe = <T>(fn: (read: Read) => T): Recipe<T> => ({
  of: INLINE,
  args: [fn],
  key: '',
  bare: NO_BARE,
});

/** The arguments of a selector, for a message. Never throws, whatever they are. */
export const describeArguments = (args: readonly unknown[]): string => args.map(describe).join(', ');

function describe(arg: unknown): string {
  if (typeof arg === 'function') return arg.name || 'function';
  try {
    return JSON.stringify(encode(arg)) ?? String(arg);
  } catch {
    return typeof arg;
  }
}

const copied = (arg: unknown): unknown => copiedWhere(arg, () => true);

/** Text that is equal for equal arguments, whatever the order of their keys. */
export function argumentKey(name: string, args: readonly unknown[]): string {
  const only = args[0];
  if (args.length === 1) {
    // As JSON, but without the cost of escaping: what stands between the first and the last quote is the text.
    if (typeof only === 'string') return `"${only}"`;
    if (typeof only === 'number') return Object.is(only, -0) ? '-0' : String(only);
  }
  return JSON.stringify(args.map((arg, i) => sorted(name, arg, `/${i}`, new Set())));
}

function sorted(name: string, value: unknown, path: string, above: Set<object>): unknown {
  if (typeof value === 'function' || typeof value === 'symbol') throw badArgument(name, path);
  if (typeof value !== 'object' || value === null || isDate(value)) return encode(value);
  const isEntries = isMap(value) || isSet(value);
  if ((!isEntries && !isContainer(value)) || above.has(value)) throw badArgument(name, path);
  above.add(value);
  const list = (parts: Iterable<unknown>): unknown[] =>
    Array.from(parts, (part, i) => sorted(name, part, `${path}/${i}`, above));
  const result = isMap(value)
    ? { m: list(value) }
    : isSet(value)
      ? { s: list(value) }
      : Array.isArray(value)
        ? list(value)
        : // A list of pairs, so that a key order or a tag can never make two different values look alike.
          {
            o: Object.keys(value)
              .sort()
              .map((key) => [key, sorted(name, value[key], `${path}/${key}`, above)]),
          };
  above.delete(value);
  return result;
}
