// What data is made of, to look for secrets in it and to take them out.
import {
  hasOwn,
  isContainer,
  isDate,
  isKeyed,
  isMap,
  isSet,
  keyedMaker,
  KEYED,
  partOf,
  put,
} from '../../core/internal.js';
import type { RedactionRule } from './rules.js';

/** What tells a number, a date or a text from others; nothing for what says nothing. */
export function markOf(value: unknown): string | undefined {
  if (typeof value === 'number' || typeof value === 'string' || typeof value === 'bigint')
    return `${typeof value} ${value}`;
  return isDate(value) ? `date ${value.getTime()}` : undefined;
}

/** The numbers, dates and texts that a value has, but not a part of it that it had before. */
export function* marksOf(before: unknown, after: unknown): Iterable<string> {
  const mark = markOf(after);
  if (mark !== undefined) yield mark;
  else if (!Object.is(before, after)) for (const [, was, is] of changedParts(before, after)) yield* marksOf(was, is);
}

/** The parts of a value that may be others than they were: what both share costs nothing, but in lists and objects. */
export function* changedParts(
  before: unknown,
  after: unknown,
  rule?: RedactionRule,
): Iterable<readonly [key: string, was: unknown, is: unknown]> {
  if (isKeyed(after)) {
    const table = isKeyed(before) ? before : undefined;
    const difference = table && after[KEYED].difference(table, after);
    for (const key of difference ? [...difference.changed, ...difference.added] : after.keys())
      yield [key, table?.get(key), after.get(key)];
  } else if (isMap(after) || isSet(after)) {
    for (const part of isMap(after) ? after.values() : after) yield ['', undefined, part];
  } else if (Array.isArray(after)) {
    const items: readonly unknown[] = Array.isArray(before) ? before : [];
    const known = new Set(items);
    for (const [i, item] of after.entries()) if (!known.has(item)) yield [String(i), items[i], item];
  } else if (isContainer(after)) {
    const parts = isContainer(before) ? before : {};
    for (const key of rule?.keysIn(after) ?? Object.keys(after))
      if (hasOwn(after, key)) yield [key, partOf(parts, key), partOf(after, key)];
  }
}

/** The same data with other parts, and other keys; the same object where none is another. */
export function partwise(value: object, part: (part: unknown) => unknown, key: (key: string) => string): unknown {
  if (isKeyed(value)) {
    const rows = Array.from(value, ([name, row]) => [key(name), part(row)] as const);
    const isSame = rows.every(([name, row]) => value.has(name) && Object.is(value.get(name), row));
    return isSame ? value : keyedMaker.make!(rows);
  }
  const each = (one: unknown): unknown => (typeof one === 'string' ? key(one) : part(one));
  if (isMap(value)) {
    const entries = Array.from(value, ([name, one]) => [each(name), part(one)] as const);
    const isSame = [...value].every(
      ([name, one], i) => Object.is(name, entries[i][0]) && Object.is(one, entries[i][1]),
    );
    return isSame ? value : new Map(entries);
  }
  if (isSet(value)) {
    const items = Array.from(value, each);
    return [...value].every((item, i) => Object.is(item, items[i])) ? value : new Set(items);
  }
  if (!isContainer(value)) return value;
  if (Array.isArray(value)) {
    const items = value.map(part);
    return items.every((item, i) => Object.is(item, value[i])) ? value : items;
  }
  const result = {};
  let isSame = true;
  for (const name of Object.keys(value)) {
    const [next, one] = [key(name), part(partOf(value, name))];
    if (next !== name || !Object.is(one, partOf(value, name))) isSame = false;
    put(result, next, one);
  }
  return isSame ? value : result;
}
