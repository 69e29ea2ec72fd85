// Numbers by which data is known again. A number is the sum of what its parts come to, so that the number of the next version is that
// of the one before, with the parts replaced that are now others: a change of one row costs one row, not the list.
import { encode, hasOwn, isContainer, isKeyed, KEYED, kindOf, type Fields, type Keyed } from '../../core/internal.js';

/** Knuth's and Murmur's multipliers (32-bit). */
const MIX = 0x9e3779b1;
const FINISH = 0x85ebca6b;

/** Two numbers as one; the order counts. */
export function mixed(a: number, b: number): number {
  const sum = Math.imul(a ^ (b >>> 15), MIX) ^ Math.imul(b + 0x7ed55d16, FINISH);
  return (sum ^ (sum >>> 13)) | 0;
}

/** FNV-1a (Fowler, Noll, Vo) over the units of a text. */
export function hashOfText(text: string): number {
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193);
  return hash;
}

const float = new Float64Array(1);
const halves = new Int32Array(float.buffer);
const LIST = hashOfText('list');
const TABLE = hashOfText('table');
const FIELDS = hashOfText('fields');

type List = readonly unknown[];

export class DataHashes {
  private readonly known = new WeakMap<object, number>();
  private readonly keys = new Map<string, number>();

  /**
   * The number of a value: equal data has equal numbers, and other data nearly always another one.
   * @param before another version, whose number is known: what both share is not gone through
   */
  of(value: unknown, before?: unknown): number {
    switch (typeof value) {
      case 'string':
        return hashOfText(value);
      case 'number':
        float[0] = value === 0 ? 0 : value;
        return mixed(halves[0], halves[1]);
      case 'object':
        return value === null ? 1 : this.ofObject(value, before);
      default:
        return hashOfText(`${typeof value} ${String(value)}`);
    }
  }

  private ofObject(value: object, before: unknown): number {
    let hash = this.known.get(value);
    if (hash !== undefined) return hash;
    const kind = kindOf(value);
    const sum = kind === kindOf(before) ? this.known.get(before as object) : undefined;
    const was = sum === undefined ? undefined : before;
    if (kind === 2) hash = this.ofList(value as List, was as List | undefined, sum);
    else if (kind === 3) hash = this.ofTable(value as Keyed, was as Keyed | undefined, sum);
    else if (kind === 1) hash = this.ofFields(value as Fields, was as Fields | undefined, sum);
    else hash = hashOfText(JSON.stringify(encode(value)));
    this.known.set(value, hash);
    return hash;
  }

  private ofList(value: List, was: List = [], sum = LIST): number {
    const both = Math.min(was.length, value.length);
    for (let i = 0; i < both; i++)
      if (value[i] !== was[i]) sum += mixed(i, this.of(value[i], was[i])) - mixed(i, this.of(was[i]));
    for (let i = both; i < value.length; i++) sum += mixed(i, this.of(value[i]));
    for (let i = both; i < was.length; i++) sum -= mixed(i, this.of(was[i]));
    return sum | 0;
  }

  private ofFields(value: Fields, was: Fields = {}, sum = FIELDS): number {
    for (const key of Object.keys(value)) {
      const isThere = hasOwn(was, key);
      if (isThere && value[key] === was[key]) continue;
      const place = this.ofKey(key);
      sum += mixed(place, this.of(value[key], isThere ? was[key] : undefined));
      if (isThere) sum -= mixed(place, this.of(was[key]));
    }
    for (const key of Object.keys(was)) if (!hasOwn(value, key)) sum -= mixed(this.ofKey(key), this.of(was[key]));
    return sum | 0;
  }

  private ofTable(value: Keyed, was: Keyed | undefined, sum = TABLE): number {
    const row = (table: Keyed, key: string, next?: Keyed): number =>
      mixed(this.ofKey(key), this.of(table.get(key), next?.get(key)));
    if (!was) {
      for (const key of value.keys()) sum += row(value, key);
      return sum | 0;
    }
    const { changed, removed, added } = value[KEYED].difference(was, value);
    for (const key of changed) sum += row(value, key, was) - row(was, key);
    for (const key of removed) sum -= row(was, key);
    for (const key of added) sum += row(value, key);
    return sum | 0;
  }

  private ofKey(key: string): number {
    let hash = this.keys.get(key);
    if (hash === undefined) this.keys.set(key, (hash = hashOfText(key)));
    return hash;
  }
}

/** Whether two values are the same data, with the keys of objects in the same order: code may go through them. */
export function sameInOrder(a: unknown, b: unknown): boolean {
  if (Object.is(a, b)) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a)) {
    if (!Array.isArray(b) || a.length !== b.length) return false;
    for (let i = 0; i < a.length; i++) if (a[i] !== b[i] && !sameInOrder(a[i], b[i])) return false;
    return true;
  }
  if (isKeyed(a)) return isKeyed(b) && sameRows(a, b);
  if (!isContainer(a) || !isContainer(b) || Array.isArray(b))
    return !isContainer(a) && !isContainer(b) && JSON.stringify(encode(a)) === JSON.stringify(encode(b));
  const [left, right] = [a as Fields, b as Fields];
  const [keys, others] = [Object.keys(left), Object.keys(right)];
  if (keys.length !== others.length) return false;
  for (let i = 0; i < keys.length; i++) {
    const key = keys[i];
    if (key !== others[i] || (left[key] !== right[key] && !sameInOrder(left[key], right[key]))) return false;
  }
  return true;
}

function sameRows(a: Keyed, b: Keyed): boolean {
  if (a.size !== b.size) return false;
  const others = b.entries();
  for (const [key, row] of a) {
    const [otherKey, other] = others.next().value as [string, unknown];
    if (key !== otherKey || !sameInOrder(row, other)) return false;
  }
  return true;
}

/** What was reached, by its number. A match is confirmed by the data itself. */
export class Reached<T> {
  /** How many there are. */
  count = 0;
  private readonly byHash = new Map<number, { readonly value: unknown; readonly of: T }[]>();

  find(hash: number, value: unknown): T | undefined {
    return this.byHash.get(hash)?.find((one) => sameInOrder(one.value, value))?.of;
  }

  add(hash: number, value: unknown, of: T): void {
    this.count++;
    const known = this.byHash.get(hash);
    if (known) known.push({ value, of });
    else this.byHash.set(hash, [{ value, of }]);
  }
}
