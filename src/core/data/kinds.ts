// Whether data is of the kinds that were declared: for hints in development.
import { hasOwn, isContainer, isDate, isMap, isSet, partOf } from './plain.js';
import { isKeyed } from './keyed.js';

/** What a value is, in words. */
export const inWords = (value: unknown): string => {
  if (value === null || value === undefined) return 'nothing';
  if (typeof value !== 'object') return typeof value === 'string' ? 'a text' : `a ${typeof value}`;
  if (Array.isArray(value)) return 'a list';
  if (isDate(value)) return 'a Date';
  return isMap(value) ? 'a Map' : isSet(value) ? 'a Set' : isKeyed(value) ? 'a table' : 'an object';
};

const isEmpty = (value: unknown): boolean =>
  value === null || value === undefined || value === '' || (isContainer(value) && Object.keys(value).length === 0);

/**
 * The first place at which data is of another kind than what was declared, as keys, with both kinds in words. What was declared as
 * nothing, or empty, says nothing of what comes.
 */
export function otherKind(
  declared: unknown,
  found: unknown,
): { keys: string[]; declared: string; found: string } | undefined {
  if (isEmpty(declared) || found === null || found === undefined) return undefined;
  const [wanted, is] = [inWords(declared), inWords(found)];
  if (wanted !== is) return { keys: [], declared: wanted, found: is };
  if (wanted !== 'an object' || !isContainer(declared)) return undefined;
  for (const key of Object.keys(declared)) {
    if (!hasOwn(found, key)) continue;
    const other = otherKind(partOf(declared, key), partOf(found, key));
    if (other) return { ...other, keys: [key, ...other.keys] };
  }
  return undefined;
}
