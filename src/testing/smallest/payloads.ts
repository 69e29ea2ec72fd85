// Simpler data in the place of a payload.
import { isContainer } from '../../core/internal.js';

/** Data that is a little simpler, the simplest first: shorter lists and texts, objects without a field. */
export function* simpler(value: unknown): Iterable<unknown> {
  if (typeof value === 'string') {
    if (value.length > 0) yield '';
    if (value.length > 2) yield* [value.slice(0, value.length >> 1), value.slice(value.length >> 1)];
    if (value.length > 1) yield* [value.slice(0, -1), value.slice(1)];
    return;
  }
  if (!isContainer(value)) return;
  if (Array.isArray(value)) yield* simplerLists(value);
  else {
    const keys = Object.keys(value);
    for (const key of keys) {
      const { [key]: _left, ...rest } = value;
      yield rest;
    }
    for (const key of keys) for (const part of simpler(value[key])) yield { ...value, [key]: part };
  }
}

function* simplerLists(list: readonly unknown[]): Iterable<unknown> {
  if (list.length > 0) yield [];
  for (let size = list.length >> 1; size > 0; size >>= 1)
    for (let at = 0; at < list.length; at += size) yield [...list.slice(0, at), ...list.slice(at + size)];
  for (const [i, item] of list.entries())
    for (const part of simpler(item)) yield [...list.slice(0, i), part, ...list.slice(i + 1)];
}
