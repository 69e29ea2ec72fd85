// Copies of data, in whole or in part.
import { isContainer, isDate, isMap, isSet, put } from './plain.js';

type IsToCopy = (part: object) => boolean;

/**
 * The same data, in which each part that is to be copied is another one, at any depth, and so is what leads to one. Data without
 * such parts is returned as it is; so is what is no plain data.
 */
export const copiedWhere = (value: unknown, isToCopy: IsToCopy): unknown =>
  isObject(value) ? copiedInside(value, isToCopy, new Set()) : value;

const isObject = (value: unknown): value is object => typeof value === 'object' && value !== null;

function copiedInside(value: unknown, isToCopy: IsToCopy, above: Set<object>): unknown {
  if (!isObject(value) || above.has(value)) return value;
  const mustCopy = isToCopy(value);
  if (isDate(value)) return mustCopy ? new Date(value.getTime()) : value;
  above.add(value);
  const inside = (part: unknown): unknown => copiedInside(part, isToCopy, above);
  let result = value;
  if (isMap(value)) {
    const entries = Array.from(value, ([key, part]) => [inside(key), inside(part)] as const);
    const isSame = (): boolean =>
      Array.from(value).every(([key, part], i) => key === entries[i][0] && part === entries[i][1]);
    if (mustCopy || !isSame()) result = new Map(entries);
  } else if (isSet(value)) {
    const parts = Array.from(value, inside);
    if (mustCopy || !Array.from(value).every((part, i) => part === parts[i])) result = new Set(parts);
  } else if (isContainer(value)) result = partsOf(value, mustCopy, inside);
  above.delete(value);
  return result;
}

function partsOf(value: object, mustCopy: boolean, inside: (part: unknown) => unknown): object {
  const copy = (): object => (Array.isArray(value) ? Array.from(value as unknown[]) : { ...value });
  let result: object | undefined = mustCopy ? copy() : undefined;
  // What is taken out of a proxy may be one as well, made at each read: the copy is looked through.
  for (const key of Object.keys(result ?? value)) {
    const part: unknown = (result ?? value)[key as never];
    const plain = inside(part);
    if (plain !== part) put((result ??= copy()), key, plain);
  }
  return result ?? value;
}
