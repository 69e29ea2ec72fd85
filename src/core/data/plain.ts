// What counts as data: containers (plain objects and arrays) that are edited in part, and leaf values that are
// replaced whole and compared by value.
import { isKeyed, KEYED, keyedKind, type Keyed } from './keyed.js';

/** A plain object or an array, seen from inside the core. */
export type Container = Record<string, unknown> | unknown[];

/** Marks an object that answers to the container questions itself; see `draft.ts` and `tracking.ts`. */
export const NODE: unique symbol = Symbol('floe.node');

export const hasOwn = (value: object, key: PropertyKey): boolean => Object.prototype.hasOwnProperty.call(value, key);

/** Arrays and plain objects: what drafts and selectors look into. Everything else is a leaf. */
export function isContainer(value: unknown): value is Container {
  if (value === null || typeof value !== 'object') return false;
  if (Array.isArray(value)) return true;
  const proto = Object.getPrototypeOf(value) as object | null;
  // The second test lets plain objects of another realm (a frame, a test's sandbox) through.
  return (
    proto === null ||
    proto === Object.prototype ||
    (Object.getPrototypeOf(proto) === null && hasOwn(proto, 'isPrototypeOf'))
  );
}

/** What is looked into: a plain object, an array or a table. */
export type Branch = Container | Keyed;
export const isBranch = (value: unknown): value is Branch => isContainer(value) || isKeyed(value);

/** 0: leaf or absent, 1: object, 2: array, 3: table. */
export const kindOf = (value: unknown): 0 | 1 | 2 | 3 =>
  Array.isArray(value) ? 2 : isContainer(value) ? 1 : isKeyed(value) ? 3 : 0;

/** A plain object. */
export type Fields = Readonly<Record<string, unknown>>;

/** Whether a value has fields: lists, tables and leaf values have none. */
export const isFields = (value: unknown): value is Fields => kindOf(value) === 1;

export const classOf = (value: unknown): string => Object.prototype.toString.call(value).slice(8, -1);
export const isDate = (value: unknown): value is Date => value instanceof Date || classOf(value) === 'Date';
export const isMap = (value: unknown): value is Map<unknown, unknown> =>
  value instanceof Map || classOf(value) === 'Map';
export const isSet = (value: unknown): value is Set<unknown> => value instanceof Set || classOf(value) === 'Set';

/** The part of an object, an array or a table under a key, never anything inherited. */
export function partOf(value: unknown, key: string): unknown {
  if (isContainer(value)) return hasOwn(value, key) ? (value as Record<string, unknown>)[key] : undefined;
  return isKeyed(value) ? value.get(key) : undefined;
}

/** Whether there is a part under a key. */
export const hasPart = (value: unknown, key: string): boolean =>
  isContainer(value) ? hasOwn(value, key) : isKeyed(value) && value.has(key);

/** What stands at a place, by the keys of the way to it. */
export interface Found {
  readonly value: unknown;
}

/** The value at a place; nothing where the way leads nowhere. */
export function lookUp(value: unknown, keys: readonly string[]): Found | undefined {
  for (const key of keys) {
    if (!hasPart(value, key)) return undefined;
    value = partOf(value, key);
  }
  return { value };
}

/** A property as code would read it, except that `constructor` and `__proto__` are data or nothing. */
export function inheritedOrOwn(value: Container, key: string): unknown {
  if ((key === 'constructor' || key === '__proto__') && !hasOwn(value, key)) return undefined;
  return (value as Record<string, unknown>)[key];
}

/** Assigns without ever reaching a prototype: `__proto__` is a key like any other. */
export function put(target: object, key: PropertyKey, value: unknown): void {
  if (key === '__proto__')
    Object.defineProperty(target, key, { value, writable: true, enumerable: true, configurable: true });
  else (target as Record<PropertyKey, unknown>)[key] = value;
}

/** In V8 `slice` takes some 80 times as long for a frozen array, which the state is in development, as a spread does. */
export const shallowCopy = <T extends Container>(value: T): T =>
  (Array.isArray(value) ? [...(value as readonly unknown[])] : { ...(value as object) }) as T;

/**
 * Replaces the parts of new data that are objects. Edits the data in place where it may, on a copy where it is frozen,
 * and returns the data itself where nothing had to be replaced.
 */
export function replaceParts(value: Container, replace: (part: object) => unknown): Container {
  let result = value;
  const look = (key: string | number, part: object): void => {
    const next = replace(part);
    if (next === part) return;
    if (result === value && Object.isFrozen(value)) result = shallowCopy(value);
    put(result, key, next);
  };
  if (Array.isArray(value))
    for (let i = 0; i < value.length; i++) {
      const part = value[i];
      if (typeof part === 'object' && part !== null) look(i, part);
    }
  else {
    // Without a list of keys; what is inherited is left alone.
    for (const key in value) {
      const part = value[key];
      if (typeof part === 'object' && part !== null && hasOwn(value, key)) look(key, part);
    }
  }
  return result;
}

/**
 * Replaces the parts of a new Map or Set: its keys and values at any depth. In place, so that it stays the one that code
 * holds; a Map or Set in which nothing is replaced is not touched.
 */
export function replaceEntries(
  value: Map<unknown, unknown> | Set<unknown>,
  replace: (part: unknown) => unknown,
): Map<unknown, unknown> | Set<unknown> {
  let differs = false;
  const next = (part: unknown): unknown => {
    if (typeof part !== 'object' || part === null) return part;
    const other = replace(part);
    differs ||= other !== part;
    return other;
  };
  if (isMap(value)) {
    const entries = Array.from(value, ([key, part]) => [next(key), next(part)] as const);
    if (!differs) return value;
    if (Object.isFrozen(value)) return new Map(entries);
    value.clear();
    for (const [key, part] of entries) value.set(key, part);
    return value;
  }
  const parts = Array.from(value, next);
  if (!differs) return value;
  if (Object.isFrozen(value)) return new Set(parts);
  value.clear();
  for (const part of parts) value.add(part);
  return value;
}

/** Equal as values without looking into containers: same primitive, same reference, or leaves with the same content. */
export function same(a: unknown, b: unknown): boolean {
  if (Object.is(a, b)) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  return !isContainer(a) && !isContainer(b) && sameLeaf(a, b);
}

function sameLeaf(a: object, b: object): boolean {
  if (isDate(a)) return isDate(b) && Object.is(a.getTime(), b.getTime());
  if (isMap(a)) {
    if (!isMap(b) || a.size !== b.size) return false;
    const others = b.entries();
    for (const [key, value] of a) {
      const [otherKey, otherValue] = others.next().value as [unknown, unknown];
      if (!sameData(key, otherKey) || !sameData(value, otherValue)) return false;
    }
    return true;
  }
  if (isSet(a)) {
    if (!isSet(b) || a.size !== b.size) return false;
    const others = b.values();
    for (const value of a) if (!sameData(value, others.next().value)) return false;
    return true;
  }
  const kind = keyedKind(a);
  return kind !== undefined && isKeyed(b) && kind.same(a as Keyed, b);
}

/** Deep equality of data. Parts that are the same object are not looked into. The order of keys does not count. */
export function sameData(a: unknown, b: unknown): boolean {
  if (Object.is(a, b)) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a)) {
    if (!Array.isArray(b) || a.length !== b.length) return false;
    for (let i = 0; i < a.length; i++) if (!sameData(a[i], b[i])) return false;
    return true;
  }
  if (Array.isArray(b)) return false;
  if (!isContainer(a)) return !isContainer(b) && sameLeaf(a, b);
  if (!isContainer(b)) return false;
  return sameParts(a as Record<string, unknown>, b as Record<string, unknown>);
}

/** Without lists of keys, which would be made for nothing where the first parts differ. */
function sameParts(a: Record<string, unknown>, b: Record<string, unknown>): boolean {
  let more = 0;
  for (const key in a) {
    if (!hasOwn(a, key)) continue;
    if (!hasOwn(b, key) || !sameData(a[key], b[key])) return false;
    more++;
  }
  for (const key in b) if (hasOwn(b, key)) more--;
  return more === 0;
}

/** The JSON Pointer (RFC 6901) of a list of keys. */
export const pointerTo = (keys: readonly (string | number)[]): string =>
  keys.map((key) => '/' + escapeKey(String(key))).join('');
/** One reference token, escaped as RFC 6901 wants it. */
export const escapeKey = (key: string): string =>
  key.includes('~') || key.includes('/') ? key.replaceAll('~', '~0').replaceAll('/', '~1') : key;

/** Levels: data that is nested deeper overflows the stack of some engine sooner or later, as code that walks it does. */
export const MOST_NESTED = 1000;

/** `after`, with the parts of `before` where they are the same data: what did not change stays the same object. */
export function keeping(before: unknown, after: unknown): unknown {
  if (Object.is(before, after)) return before;
  if (isKeyed(before) && isKeyed(after)) return keepingRows(before, after);
  if (!isContainer(before) || !isContainer(after) || Array.isArray(before) !== Array.isArray(after))
    return sameData(before, after) ? before : after;
  if (Array.isArray(before)) return keepingItems(before, after as readonly unknown[]);
  const keys = Object.keys(after);
  let next: Record<string, unknown> | undefined;
  let kept = 0;
  for (const key of keys) {
    if (!hasOwn(before, key)) continue;
    const [was, is] = [before[key], (after as Record<string, unknown>)[key]];
    const part = keeping(was, is);
    if (Object.is(part, was)) kept++;
    if (!Object.is(part, is)) put((next ??= { ...(after as Record<string, unknown>) }), key, part);
  }
  return kept === keys.length && kept === Object.keys(before).length ? before : (next ?? after);
}

/** Rows by their keys, wherever they stand in the order. */
function keepingRows(before: Keyed, after: Keyed): Keyed {
  const kind = after[KEYED];
  const { changed, removed, added } = kind.difference(before, after);
  const isEdited = removed.length + added.length === 0;
  // Rows that were taken out and put in again may all stand where they stood.
  const isInOrder = isEdited || (added.some((key) => before.has(key)) && haveOneOrder(before, after));
  let result = isInOrder ? before : after;
  if (isInOrder) for (const key of removed) if (!after.has(key)) result = kind.without(result, key);
  for (const key of changed) {
    const [was, is] = [before.get(key), after.get(key)];
    const kept = keeping(was, is);
    if (!Object.is(kept, isInOrder ? was : is)) result = kind.with(result, key, kept);
  }
  // From the last to the first, so that the row after it is there.
  for (const key of [...added].reverse()) {
    const is = after.get(key);
    const kept = before.has(key) ? keeping(before.get(key), is) : is;
    if (!result.has(key)) result = kind.with(result, key, kept, kind.keyAfter(after, key));
    else if (!Object.is(kept, result.get(key))) result = kind.with(result, key, kept);
  }
  return result;
}

/** Whether the rows that two versions of a table both hold stand in the same order. */
function haveOneOrder(before: Keyed, after: Keyed): boolean {
  const others = after.keys();
  for (const key of before.keys()) {
    if (!after.has(key)) continue;
    let other = others.next();
    while (!other.done && !before.has(other.value)) other = others.next();
    if (other.value !== key) return false;
  }
  return true;
}

/** Items from both ends, up to what came in or went out between them. */
function keepingItems(before: readonly unknown[], after: readonly unknown[]): readonly unknown[] {
  const next = [...after];
  const least = Math.min(before.length, after.length);
  let start = 0;
  while (start < least && sameData(before[start], after[start])) next[start] = before[start++];
  let end = 1;
  while (end <= least - start && sameData(before.at(-end), after.at(-end))) next[next.length - end] = before.at(-end++);
  if (start === before.length && start === after.length) return before;
  // Between them, place by place.
  for (let i = start; i <= least - end; i++) next[i] = keeping(before[i], after[i]);
  return next;
}
