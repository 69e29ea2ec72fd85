// Development only: states and payloads are checked to be plain data, and frozen. A production build has none of it.
import { dataTooDeep, notPlain, type DataProblem } from '../base/errors.js';
import { DEV } from '../base/mode.js';
import { isKeyed, KEYED } from './keyed.js';
import {
  classOf,
  hasOwn,
  isContainer,
  isDate,
  isMap,
  isSet,
  MOST_NESTED,
  partOf,
  pointerTo,
  type Branch,
} from './plain.js';
import type { Touches } from './touches.js';

/** What is checked, for messages: in words, and the JSON Pointer to it. */
interface Where {
  readonly at: string;
  readonly what: string;
}

// Objects that were checked and frozen as a whole: neither is done twice. How many levels they hold.
const settled = new WeakSet();
const heights = new WeakMap<object, number>();

/**
 * Development only: refuses what is not plain data, with the path of the first offender, then freezes the value as a
 * whole. Runs over new data only; what an earlier transition froze is skipped.
 * @param touches what drafts know: of a container that was checked before, only the touched keys are looked at
 */
export function guardData(value: unknown, where: Where, touches?: Touches): void {
  if (!DEV) return;
  checkData(value, { path: [], above: new Set(), where, touches });
  freeze(value, touches);
}

/** Development only: refuses what is not plain data, and leaves it as it is. */
export function checkPlain(value: unknown, where: Where): void {
  if (DEV) checkData(value, { path: [], above: new Set(), where });
}

/** Of another version of a container that was checked: which keys differ. Nothing where all have to be looked at. */
function touchOf(
  value: object,
  touches: Touches | undefined,
): { readonly base: Branch; readonly keys: readonly string[] } | undefined {
  const touch = touches?.get(value);
  if (!touch || touch.moved || !settled.has(touch.base)) return undefined;
  return { base: touch.base, keys: touch.keys ?? [] };
}

/** How many levels a value has, counted. */
function levelsOf(value: unknown): number {
  if (typeof value !== 'object' || value === null) return 0;
  const parts: Iterable<unknown> = isMap(value)
    ? [...value.keys(), ...value.values()]
    : isSet(value) || isKeyed(value)
      ? value.values()
      : isContainer(value)
        ? Object.values(value)
        : [];
  let levels = 0;
  for (const part of parts) levels = Math.max(levels, levelsOf(part) + 1);
  return levels;
}

/** A value that is looked through. */
interface DataWalk {
  /** The keys that lead to the part that is looked at, and the containers that hold it. */
  readonly path: (string | number)[];
  readonly above: Set<object>;
  readonly where: Where;
  readonly touches?: Touches | undefined;
}

/** @returns how many levels the value has, or at most had */
function checkData(value: unknown, walk: DataWalk): number {
  const { path, above, where, touches } = walk;
  const refuse = (problem: DataProblem): never => {
    throw notPlain(where.what, where.at + pointerTo(path), problem, value);
  };
  if (typeof value === 'function' || typeof value === 'symbol') refuse(typeof value as DataProblem);
  if (value === null || typeof value !== 'object') return 0;
  const known = settled.has(value) ? (heights.get(value) ?? 0) : undefined;
  if (path.length + (known ?? 0) > MOST_NESTED && (known === undefined || path.length + levelsOf(value) > MOST_NESTED))
    throw dataTooDeep(where.what, where.at + pointerTo(path), MOST_NESTED);
  if (known !== undefined) return known;
  if (above.has(value)) refuse('cycle');
  above.add(value);
  let levels = 0;
  const look = (key: string | number, part: unknown): void => {
    path.push(key);
    const below = checkData(part, walk);
    if (below >= levels) levels = below + 1;
    path.pop();
  };
  if (isMap(value)) {
    let i = 0;
    for (const [key, part] of value) {
      look(i, key);
      look(i++, part);
    }
  } else if (isSet(value)) {
    let i = 0;
    for (const part of value) look(i++, part);
  } else if (isKeyed(value)) {
    for (const [key, row] of value[KEYED].unsettled(value, settled)) look(key, row);
  } else if (!isDate(value)) {
    if (!isContainer(value)) refuse('class');
    const touch = touchOf(value, touches);
    if (touch) levels = heights.get(touch.base) ?? 0;
    else if (Array.isArray(value)) for (let i = 0; i < value.length; i++) if (!hasOwn(value, i)) refuse('hole');
    for (const key of touch ? touch.keys.filter((key) => hasOwn(value, key)) : Reflect.ownKeys(value)) {
      if (typeof key === 'symbol') refuse('symbol key');
      else if (!(key === 'length' && Array.isArray(value))) {
        const property = Object.getOwnPropertyDescriptor(value, key)!;
        if (!('value' in property)) {
          path.push(key);
          refuse('accessor');
        }
        look(key, property.value);
      }
    }
  }
  above.delete(value);
  heights.set(value, levels);
  return levels;
}

/** Development only: freezes what a selector hands out, as far as it is plain data. */
export function freezeResult(value: unknown): void {
  if (!DEV || typeof value !== 'object' || value === null || settled.has(value) || Object.isFrozen(value)) return;
  if (isMap(value) || isSet(value)) freezeEntries(value, freezeResult);
  else if (!isContainer(value)) return;
  Object.freeze(value);
  for (const part of Object.values(value)) freezeResult(part);
}

function freezeEntries(value: Map<unknown, unknown> | Set<unknown>, freezePart: (part: unknown) => void): void {
  lock(value, isMap(value) ? ['set', 'delete', 'clear'] : ['add', 'delete', 'clear']);
  if (isMap(value)) value.forEach((_part, key) => freezePart(key));
  value.forEach((part) => freezePart(part));
}

function freeze(value: unknown, touches?: Touches): void {
  if (value === null || typeof value !== 'object' || settled.has(value)) return;
  settled.add(value);
  if (isMap(value) || isSet(value)) freezeEntries(value, freeze);
  else if (isDate(value)) {
    lock(
      value,
      Object.getOwnPropertyNames(Date.prototype).filter((name) => name.startsWith('set')),
    );
  } else if (isKeyed(value)) {
    for (const [, row] of value[KEYED].unsettled(value, settled)) freeze(row);
    value[KEYED].settle(value, settled);
    return;
  } else {
    const touch = touchOf(value, touches);
    if (touch) for (const key of touch.keys) freeze(partOf(value, key), touches);
    else for (const part of Object.values(value)) freeze(part, touches);
  }
  Object.freeze(value);
}

/** Freezing does not reach the inside of Map, Set and Date, so their own mutators are shadowed by ones that throw. */
function lock(value: object, mutators: readonly string[]): void {
  if (!Object.isExtensible(value)) return;
  for (const name of mutators) {
    Object.defineProperty(value, name, {
      value: () => {
        throw new TypeError(
          `Cannot ${name} on a ${classOf(value)} that is part of the state: put a new ${classOf(value)} in its place instead${
            isMap(value) ? ', or keep a table there (tableOf of floe/entities), which a draft edits in place' : ''
          }.`,
        );
      },
    });
  }
}
