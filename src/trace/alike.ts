import { type Container, hasOwn, isContainer, partOf, sameData } from '../core/internal.js';

/** Whether two objects look like versions of one: more than half of their parts agree. */
export function looksAlike(item: Container, other: unknown): boolean {
  if (!isContainer(other) || Array.isArray(item) !== Array.isArray(other)) return false;
  const keys = Object.keys(item);
  const agreeing = keys.filter((key) => hasOwn(other, key) && sameData(partOf(item, key), partOf(other, key)));
  return agreeing.length * 2 > Math.max(keys.length, Object.keys(other).length);
}
