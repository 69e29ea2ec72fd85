// Values in a few words, and their parts in windows: a value may be larger than what a link should carry.
import {
  encode,
  isBranch,
  isContainer,
  isDate,
  isKeyed,
  isMap,
  isSet,
  KEYED,
  lookUp,
  parsePointer,
  partOf,
  pointerTo,
  sameData,
} from '../../core/internal.js';
import { REDACTED } from '../../trace/internal.js';
import type { PartShown, ValueShown } from '../protocol/protocol.js';

/** A text that shows a value has at most so many characters. */
const MOST_TEXT = 160;
/** Of a nested value so many parts stand in the text, and so many levels. */
const MOST_PARTS = 8;
const MOST_LEVELS = 3;

/** A value in a few words. */
export function valueShown(value: unknown): ValueShown {
  switch (typeof value) {
    case 'string':
      return value === REDACTED ? { kind: 'redacted', text: 'redacted' } : { kind: 'text', ...cut(value) };
    case 'number':
      return { kind: 'number', text: Object.is(value, -0) ? '-0' : String(value) };
    case 'boolean':
      return { kind: 'boolean', text: String(value) };
    case 'undefined':
      return { kind: 'undefined', text: 'undefined' };
    case 'bigint':
      return { kind: 'bigint', ...cut(`${value}n`) };
    case 'object':
      return value === null ? { kind: 'null', text: 'null' } : objectShown(value);
    default:
      return { kind: 'other', text: typeof value };
  }
}

function objectShown(value: object): ValueShown {
  if (isDate(value)) return { kind: 'date', text: dateText(value) };
  if (value instanceof Error) return { kind: 'error', ...cut(value.message) };
  const kind = holderKind(value);
  if (kind === 'other') return { kind, ...cut(Object.prototype.toString.call(value)) };
  const size = sizeOf(value);
  if (kind === 'table' || kind === 'rows') return { kind, size, text: size === 1 ? '1 row' : `${size} rows` };
  const { text, isCut } = inWords(value, MOST_LEVELS);
  return { kind, size, ...cut(text, isCut) };
}

function holderKind(value: object): 'map' | 'set' | 'list' | 'object' | 'table' | 'rows' | 'other' {
  if (isKeyed(value)) return 'table';
  if (Array.isArray(value)) return 'list';
  if (isMap(value)) return 'map';
  if (isSet(value)) return 'set';
  if (isContainer(value)) return 'object';
  return isRows(value) ? 'rows' : 'other';
}

/** A sequence of rows: a maintained view of tables. */
interface RowsLike extends Iterable<unknown> {
  readonly length: number;
  at(index: number): unknown;
  toArray(): unknown[];
}
const isRows = (value: object): value is RowsLike =>
  Symbol.iterator in value && 'length' in value && typeof (value as Partial<RowsLike>).toArray === 'function';

const dateText = (date: Date): string => (Number.isNaN(date.getTime()) ? 'invalid date' : date.toISOString());

function cut(text: string, isCut = false): { text: string; cut?: true } {
  const isLong = text.length > MOST_TEXT;
  return { text: isLong ? `${text.slice(0, MOST_TEXT - 1)}…` : text, ...((isLong || isCut) && { cut: true as const }) };
}

/** A nested value on one line, as much of it as fits. */
function inWords(value: unknown, levels: number): { readonly text: string; readonly isCut: boolean } {
  if (typeof value === 'string') {
    const { text, cut: isCut = false } = value === REDACTED ? { text: '•••' } : cut(value);
    return { text: value === REDACTED ? text : JSON.stringify(text), isCut };
  }
  if (typeof value !== 'object' || value === null) return { text: valueShown(value).text, isCut: false };
  if (isDate(value)) return { text: dateText(value), isCut: false };
  const kind = holderKind(value);
  if (kind === 'other' || kind === 'table' || kind === 'rows') return { text: objectShown(value).text, isCut: true };
  const size = sizeOf(value);
  const isList = kind === 'list' || kind === 'set';
  const [opening, closing] = isList ? '[]' : '{}';
  if (size === 0) return { text: opening + closing, isCut: false };
  if (levels === 0) return { text: isList ? `${size} items` : `${opening}…${closing}`, isCut: true };
  let isCut = size > MOST_PARTS;
  const parts = partsOf(value, 0, MOST_PARTS).map(([key, part]) => {
    const shown = inWords(part, levels - 1);
    isCut ||= shown.isCut;
    return isList ? shown.text : `${key}: ${shown.text}`;
  });
  if (size > MOST_PARTS) parts.push('…');
  return { text: isList ? `[${parts.join(', ')}]` : `{ ${parts.join(', ')} }`, isCut };
}

/** How many parts a value has. */
export function sizeOf(value: unknown): number {
  if (typeof value !== 'object' || value === null) return 0;
  if (isKeyed(value) || isMap(value) || isSet(value)) return value.size;
  if (Array.isArray(value) || (!isContainer(value) && isRows(value))) return (value as { length: number }).length;
  return isContainer(value) ? Object.keys(value).length : 0;
}

/** The parts of a value from one on, as many as wanted: the key of each and the part. */
export function partsOf(value: unknown, from: number, count: number): (readonly [key: string, part: unknown])[] {
  if (typeof value !== 'object' || value === null) return [];
  const to = from + count;
  if (Array.isArray(value)) return value.slice(from, to).map((part, i) => [String(from + i), part]);
  if (isContainer(value))
    return Object.keys(value)
      .slice(from, to)
      .map((key) => [key, partOf(value, key)]);
  if (isKeyed(value)) return taken(value, from, to);
  if (isMap(value)) return taken(value, from, to).map(([key, part]) => [mapKey(key), part]);
  if (isSet(value)) return taken(value, from, to).map((part, i) => [String(from + i), part]);
  if (isRows(value)) {
    const rows: (readonly [string, unknown])[] = [];
    for (let i = from; i < Math.min(to, value.length); i++) rows.push([String(i), value.at(i)]);
    return rows;
  }
  return [];
}

const mapKey = (key: unknown): string => (typeof key === 'string' ? key : inWords(key, 1).text);

function taken<T>(items: Iterable<T>, from: number, to: number): T[] {
  const found: T[] = [];
  let i = 0;
  for (const item of items) {
    if (i >= to) break;
    if (i++ >= from) found.push(item);
  }
  return found;
}

/** The part of any value under a key, also of what state cannot hold: a derived value's Map or rows. */
export function partUnder(value: unknown, key: string): { readonly value: unknown } | undefined {
  if (isBranch(value)) return lookUp(value, [key]);
  if (typeof value !== 'object' || value === null) return undefined;
  if (isMap(value)) {
    for (const [own, part] of value) if (mapKey(own) === key) return { value: part };
    return undefined;
  }
  const [found] = partsOf(value, Number(key), 1);
  return found && { value: found[1] };
}

export function valueAt(value: unknown, pointer: string): { readonly value: unknown } | undefined {
  let at: { readonly value: unknown } | undefined = { value };
  for (const key of parsePointer(pointer)) {
    at = partUnder(at.value, key);
    if (!at) return undefined;
  }
  return at;
}

/** Which parts are asked for: `count` of them after the first `from`; those with the keys `first` come before the others. */
export interface PartsWindow {
  readonly from: number;
  readonly count: number;
  readonly first?: readonly string[];
}

/**
 * A window of the parts of a value, each marked with how it differs from an earlier version. What is gone comes at the end.
 * Versions share what is equal, so that a difference is found without looking inside.
 */
export function partsShown(
  now: unknown,
  before: { readonly value: unknown } | undefined,
  keys: readonly string[],
  window: PartsWindow,
): { readonly total: number; readonly parts: PartShown[] } {
  const { from, count } = window;
  const size = sizeOf(now);
  const gone = before ? goneFrom(before.value, now) : [];
  const shown = (key: string, value: unknown): PartShown => ({
    key,
    pointer: pointerTo([...keys, key]),
    value: valueShown(value),
    ...(before && difference(partUnder(before.value, key), value)),
  });
  const parts = ordered(now, window).map(([key, value]) => shown(key, value));
  for (const [key, value] of gone.slice(Math.max(0, from - size), Math.max(0, from + count - size)))
    parts.push({ key, pointer: pointerTo([...keys, key]), value: valueShown(value), changed: 'removed' });
  return { total: size + gone.length, parts };
}

/** A window of the parts, in which some come first. */
export function ordered(value: unknown, { from, count, first = [] }: PartsWindow): (readonly [string, unknown])[] {
  const early = first.flatMap((key) => {
    const found = partUnder(value, key);
    return found ? [[key, found.value] as const] : [];
  });
  if (early.length === 0) return partsOf(value, from, count);
  const head = early.slice(from, from + count);
  const skip = Math.max(0, from - early.length);
  const known = new Set(early.map(([key]) => key));
  // As many more as come first: those are left out here.
  const rest = partsOf(value, 0, skip + count + known.size).filter(([key]) => !known.has(key));
  return [...head, ...rest.slice(skip, skip + count - head.length)];
}

/** Keys that are gone; not of lists, whose items move. */
function goneFrom(before: unknown, now: unknown): (readonly [string, unknown])[] {
  if (before === now || typeof before !== 'object' || before === null || typeof now !== 'object' || now === null)
    return [];
  if (isKeyed(before) && isKeyed(now)) {
    // Versions that follow one another share what is equal: this costs what differs.
    const { removed = [] } = before[KEYED].difference(before, now, MOST_GONE) ?? {};
    return removed.filter((key) => !now.has(key)).map((key) => [key, before.get(key)]);
  }
  if (Array.isArray(before) || Array.isArray(now) || !isContainer(before) || !isContainer(now)) return [];
  return Object.keys(before).flatMap((key) => (lookUp(now, [key]) ? [] : [[key, partOf(before, key)] as const]));
}
/** Where more rows differ, it is another table: what is gone is not listed. */
const MOST_GONE = 2000;

export function difference(
  before: { readonly value: unknown } | undefined,
  now: unknown,
): Pick<PartShown, 'changed' | 'before'> | undefined {
  if (!before) return { changed: 'added' };
  if (Object.is(before.value, now)) return undefined;
  if (isBranch(before.value) && isBranch(now))
    return sameData(before.value, now) ? undefined : { changed: 'inside', before: valueShown(before.value) };
  return sameData(before.value, now) ? undefined : { changed: 'replaced', before: valueShown(before.value) };
}

/** A value as JSON text, in the encoding of leaf values, for the clipboard; at most so long. */
export function jsonText(value: unknown): { readonly text: string; readonly cut: boolean } {
  const text = JSON.stringify(encode(isBranch(value) ? value : plainParts(value)), undefined, 2) ?? 'null';
  return text.length > MOST_COPIED ? { text: text.slice(0, MOST_COPIED), cut: true } : { text, cut: false };
}
const MOST_COPIED = 1_000_000;

/** A derived value may hold rows, which state cannot. */
const plainParts = (value: unknown): unknown =>
  typeof value === 'object' && value !== null && !isBranch(value) && isRows(value) ? value.toArray() : value;
