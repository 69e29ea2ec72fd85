// Two sessions changed what both began from: field by field, what only one of them changed is kept.
import { hasOwn, put, sameData } from '../core/plain.js';
import { isFields } from './kept.js';

/** What comes of two sessions. */
interface Joined {
  readonly result: unknown;
  /** The fields that both changed, and to something else: in the result they are as the own session has them. */
  readonly lost: readonly string[];
}

type Fields = Readonly<Record<string, unknown>>;

/**
 * @param before what both began from, as far as that is known
 * @param own what this session has
 * @param other what somebody else stored meanwhile
 */
export function joined(before: unknown, own: unknown, other: unknown): Joined {
  if (!isFields(own) || !isFields(other)) {
    if (sameData(before, own)) return { result: other, lost: [] };
    return { result: own, lost: sameData(before, other) || sameData(own, other) ? [] : ['the whole'] };
  }
  const began = isFields(before) ? before : {};
  const result: Record<string, unknown> = {};
  const lost: string[] = [];
  for (const key of new Set([...Object.keys(other), ...Object.keys(own)])) {
    const ownChanged = !samePart(began, own, key);
    if (ownChanged && !samePart(began, other, key) && !samePart(own, other, key)) lost.push(key);
    const from = ownChanged ? own : other;
    if (hasOwn(from, key)) put(result, key, from[key]);
  }
  return { result, lost };
}

const samePart = (a: Fields, b: Fields, key: string): boolean =>
  hasOwn(a, key) === hasOwn(b, key) && sameData(a[key], b[key]);
