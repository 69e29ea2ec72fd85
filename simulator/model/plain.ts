// States as plain data of the language itself: what the model computes with, and what is compared.
import type { Patch } from 'floe';

// eslint-disable-next-line @typescript-eslint/no-explicit-any -- data of any shape, which edits reach into
export type Plain = any;

/** The state of each store under its name. */
export type States = Record<string, Plain>;

/** A table of the model: a map in insertion order whose values are rows. */
export class PlainTable extends Map<string, Plain> {
  /** Puts a row in before another one, or at the end. */
  insert(key: string, row: Plain, before: string | undefined): void {
    const rows = [...this].filter(([other]) => other !== key);
    const at = before === undefined ? rows.length : rows.findIndex(([other]) => other === before);
    rows.splice(at < 0 ? rows.length : at, 0, [key, row]);
    this.clear();
    for (const [other, one] of rows) this.set(other, one);
  }
}

const isTable = (value: object): value is ReadonlyMap<string, Plain> =>
  !(value instanceof Map && !(value instanceof PlainTable)) &&
  !(value instanceof Set) &&
  typeof (value as { keys?: unknown }).keys === 'function' &&
  typeof (value as { get?: unknown }).get === 'function';

/** A copy that shares nothing with the value. Floe's tables become tables of the model. */
export function plain(value: Plain): Plain {
  if (typeof value !== 'object' || value === null) return value;
  if (Array.isArray(value)) return value.map(plain);
  if (value instanceof Date) return new Date(value.getTime());
  if (isTable(value)) return new PlainTable(Array.from(value, ([key, row]) => [key, plain(row)]));
  if (value instanceof Map) return new Map(Array.from(value, ([key, one]) => [plain(key), plain(one)]));
  if (value instanceof Set) return new Set(Array.from(value, plain));
  const result: Plain = {};
  for (const [key, part] of Object.entries(value)) define(result, key, plain(part));
  return result;
}

/** Also where the key is `__proto__`. */
const define = (target: object, key: string, value: unknown): void =>
  void Object.defineProperty(target, key, { value, writable: true, enumerable: true, configurable: true });

/** A text that is the same for equal values, and for no others: keys of objects in their order, tables in theirs. */
export function text(value: Plain): string {
  if (typeof value === 'number') return Object.is(value, -0) ? '-0' : String(value);
  if (typeof value === 'bigint') return `${value}n`;
  if (typeof value !== 'object' || value === null) return value === undefined ? 'undefined' : JSON.stringify(value);
  if (Array.isArray(value)) return `[${value.map(text).join(',')}]`;
  if (value instanceof Date) return `date ${value.getTime()}`;
  // A maintained view.
  if (typeof value.toArray === 'function') return text(value.toArray());
  if (isTable(value)) return `table{${Array.from(value, ([key, row]) => `${key}:${text(row)}`).join(',')}}`;
  if (value instanceof Map) return `map{${Array.from(value, ([key, one]) => `${text(key)}:${text(one)}`).join(',')}}`;
  if (value instanceof Set) return `set{${Array.from(value, text).join(',')}}`;
  const keys = Object.keys(value).sort();
  return `{${keys.map((key) => `${JSON.stringify(key)}:${text(value[key])}`).join(',')}}`;
}

/** Whether two values have the same text, without writing it: states of the model share what did not change. */
export function same(a: Plain, b: Plain): boolean {
  if (Object.is(a, b)) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a)) return Array.isArray(b) && sameItems(a, b);
  if (Array.isArray(b) || !isPlainObject(a) || !isPlainObject(b)) return text(a) === text(b);
  const keys = Object.keys(a);
  return keys.length === Object.keys(b).length && keys.every((key) => Object.hasOwn(b, key) && same(a[key], b[key]));
}

const sameItems = (a: readonly Plain[], b: readonly Plain[]): boolean =>
  a.length === b.length && a.every((item, i) => same(item, b[i]));

const isPlainObject = (value: object): boolean => Object.getPrototypeOf(value) === Object.prototype;

const keysOf = (pointer: string): string[] =>
  pointer === ''
    ? []
    : pointer
        .slice(1)
        .split('/')
        .map((key) => key.replaceAll('~1', '/').replaceAll('~0', '~'));

/** The value at a place; `undefined` where nothing is. */
export function valueAt(state: Plain, pointer: string): Plain {
  let value = state;
  for (const key of keysOf(pointer)) {
    if (typeof value !== 'object' || value === null) return undefined;
    value = value instanceof PlainTable ? value.get(key) : Object.hasOwn(value, key) ? value[key] : undefined;
  }
  return value;
}

/**
 * Applies a JSON Patch (RFC 6902) in the shape that Floe writes: add, remove and replace. What does not change is shared.
 * @throws Error where it does not fit
 */
export function patched(states: States, patch: Patch): States {
  const result = { ...states };
  const copies = new Set<object>([result]);
  for (const operation of patch) {
    const keys = keysOf(operation.path);
    const last = keys.pop()!;
    let target: Plain = result;
    for (const key of keys) {
      const part =
        target instanceof PlainTable ? target.get(key) : Object.hasOwn(target, key) ? target[key] : undefined;
      if (typeof part !== 'object' || part === null) throw new Error(`nothing stands at ${operation.path}`);
      const copy = copies.has(part) ? part : shallow(part);
      copies.add(copy);
      if (target instanceof PlainTable) target.set(key, copy);
      else define(target, key, copy);
      target = copy;
    }
    applyTo(target, last, operation as Plain);
  }
  return result;
}

function shallow(value: Plain): Plain {
  if (Array.isArray(value)) return [...value];
  if (value instanceof PlainTable) return new PlainTable(value);
  const copy = {};
  for (const key of Object.keys(value)) define(copy, key, value[key]);
  return copy;
}

function applyTo(target: Plain, key: string, operation: Plain): void {
  const { op, path, before } = operation as { op: string; path: string; before?: string };
  const value = plain(operation.value);
  if (target instanceof PlainTable) {
    if (op !== 'add' && !target.has(key)) throw new Error(`there is no row at ${path}`);
    if (op === 'remove') target.delete(key);
    else if (op === 'add') target.insert(key, value, before);
    else target.set(key, value);
  } else if (Array.isArray(target)) {
    const index = key === '-' ? target.length : Number(key);
    if (index > target.length || (op !== 'add' && index >= target.length)) throw new Error(`no item at ${path}`);
    if (op === 'remove') target.splice(index, 1);
    else if (op === 'add') target.splice(index, 0, value);
    else target[index] = value;
  } else {
    if (op !== 'add' && !Object.hasOwn(target, key)) throw new Error(`no field at ${path}`);
    if (op === 'remove') Reflect.deleteProperty(target, key);
    else define(target, key, value);
  }
}

/** Where two states differ first, in words. */
export function difference(found: Plain, expected: Plain, at = ''): string {
  if (same(found, expected)) return '';
  const isBranch = (value: Plain): boolean =>
    typeof value === 'object' &&
    value !== null &&
    [Object.prototype, Array.prototype].includes(Object.getPrototypeOf(value));
  if (isBranch(found) && isBranch(expected))
    for (const key of new Set([...Object.keys(found), ...Object.keys(expected)])) {
      const [a, b] = [Object.hasOwn(found, key), Object.hasOwn(expected, key)];
      if (a && b && same(found[key], expected[key])) continue;
      return difference(a ? found[key] : '(nothing)', b ? expected[key] : '(nothing)', `${at}/${key}`);
    }
  return `${text(found).slice(0, 300)} instead of ${text(expected).slice(0, 300)} at ${at === '' ? 'the root' : at}`;
}
