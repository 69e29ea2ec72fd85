import {
  differenceOfStates,
  hasOwn,
  isContainer,
  isKeyed,
  keyedMaker,
  lookUp,
  parsePointer,
  partOf,
  pointerTo,
  put,
} from '../core/internal.js';

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
  // Two versions of one table also tell how one became the other: what is asked for is how their rows differ.
  const [from, to] = [unrelated(before), unrelated(after)] as (typeof before)[];
  for (const { op, path } of differenceOfStates(from, to).changes) {
    const keys = parsePointer(path);
    if (!hasOwn(before, keys[0])) continue;
    const holder = keys.slice(0, -1);
    const isItem = op !== 'replace' && Array.isArray(lookUp(after, holder)?.value);
    places.add(isItem ? pointerTo(holder) : path);
  }
  return [...places].filter((place) => !holders(place).some((holder) => places.has(holder)));
}

/** The same data, whose tables know no other table. */
function unrelated(value: unknown): unknown {
  if (isKeyed(value)) return keyedMaker.make!(Array.from(value, ([key, row]) => [key, unrelated(row)] as const));
  if (!isContainer(value)) return value;
  // What holds no table stays the same object: then it is known to be the same.
  let result = value;
  for (const key of Object.keys(value)) {
    const part = unrelated(partOf(value, key));
    if (part === partOf(value, key)) continue;
    if (result === value) result = Array.isArray(value) ? [...value] : { ...value };
    put(result, key, part);
  }
  return result;
}

/** The places around a place, without the whole. */
function holders(place: string): string[] {
  const keys = parsePointer(place);
  return keys.map((_, i) => pointerTo(keys.slice(0, i))).filter((holder) => holder !== '');
}
