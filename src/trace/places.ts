import { differenceOfStates, hasOwn, lookUp, parsePointer, pointerTo } from '../core/internal.js';

/**
 * The places (RFC 6901) at which two state trees differ: of a list whose items came or went the list, and no place inside
 * another. Only the stores of the first are looked at.
 * @param before a snapshot
 * @example
 * const before = runtime.snapshot();
 * runtime.dispatch(visitPlanned(visit));
 * expect(changedPlaces(before, runtime.snapshot())).toEqual(['/visits/list']);
 */
export function changedPlaces(
  before: Readonly<Record<string, unknown>>,
  after: Readonly<Record<string, unknown>>,
): string[] {
  const places = new Set<string>();
  for (const { op, path } of differenceOfStates(before, after).changes) {
    const keys = parsePointer(path);
    if (!hasOwn(before, keys[0])) continue;
    const holder = keys.slice(0, -1);
    const isItem = op !== 'replace' && Array.isArray(lookUp(after, holder)?.value);
    places.add(isItem ? pointerTo(holder) : path);
  }
  return [...places].filter((place) => !holders(place).some((holder) => places.has(holder)));
}

/** The places around a place, without the whole. */
function holders(place: string): string[] {
  const keys = parsePointer(place);
  return keys.map((_, i) => pointerTo(keys.slice(0, i))).filter((holder) => holder !== '');
}
