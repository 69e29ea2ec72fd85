// What is different between two values, in a few words: rows that came or went, fields that changed, another order. The
// parts of a list are told apart by what names them, as people do: "v0226, place S2 → N1".
import { isBranch, isFields, isKeyed, isMap, isSet, parsePointer, sameData } from '../../core/internal.js';
import { findDifferent } from './changes.js';
import { partsOf, sizeOf, valueAt, valueShown } from './values.js';

/** So many parts, and so many fields of one, stand in the text. */
const MOST_NAMED = 3;
/** So many characters of a value stand in the text. */
const MOST_VALUE = 32;
/** Of longer lists only the lengths are compared. */
const MOST_PARTS = 20_000;
/** Fields that name an item of a list. */
const NAMING = ['id', 'key', 'code', 'name', 'title'];

/**
 * What is different between two values with parts, such as lists, tables and objects.
 * @returns a line of text; '' where they are equal; `undefined` where a value as a whole became another one
 * @example
 * differenceText([{ id: 'v1', place: 'S2' }], [{ id: 'v1', place: 'N1' }]); // 'v1, place S2 → N1; order unchanged'
 */
export function differenceText(before: unknown, after: unknown): string | undefined {
  if (Object.is(before, after)) return '';
  if (!hasParts(before) || !hasParts(after)) return sameData(before, after) ? '' : undefined;
  const [a, b] = [namedParts(before), namedParts(after)];
  if (!a || !b) return sizesText(sizeOf(before), sizeOf(after), unitOf(after));
  if (a.isList !== b.isList) return undefined;
  return a.isList ? listText(a, b, unitOf(after)) : objectText(before, after, a.parts, b.parts);
}

const hasParts = (value: unknown): value is object =>
  typeof value === 'object' && value !== null && (sizeOf(value) > 0 || valueShown(value).size !== undefined);

/** The parts of a value by what names them, in order. */
interface NamedParts {
  /** Whether its parts are items, and have an order. */
  readonly isList: boolean;
  readonly parts: ReadonlyMap<string, unknown>;
  /** The names are of their own, and not where they stand. */
  readonly isNamed: boolean;
}

function namedParts(value: object): NamedParts | undefined {
  const size = sizeOf(value);
  if (size > MOST_PARTS) return undefined;
  if (isKeyed(value)) return { isList: true, isNamed: true, parts: new Map(partsOf(value, 0, size)) };
  const parts = partsOf(value, 0, size);
  if (isMap(value) || isFields(value)) return { isList: false, isNamed: true, parts: new Map(parts) };
  if (isSet(value)) return named(parts, ([, part]) => shortText(part));
  return (
    NAMING.map((field) => named(parts, ([, part]) => nameIn(part, field))).find((one) => one !== undefined) ??
    named(parts, ([, part]) => (hasParts(part) ? undefined : shortText(part))) ?? {
      isList: true,
      isNamed: false,
      parts: new Map(parts),
    }
  );
}

/** The parts by a name that each has, and none has twice. */
function named(
  parts: readonly (readonly [string, unknown])[],
  nameOf: (part: readonly [string, unknown]) => string | undefined,
): NamedParts | undefined {
  const found = new Map<string, unknown>();
  for (const part of parts) {
    const name = nameOf(part);
    if (name === undefined || found.has(name)) return undefined;
    found.set(name, part[1]);
  }
  return { isList: true, isNamed: true, parts: found };
}

/** What a field of an item holds, where that can be a name. A view of joined rows holds the row in a field. */
function nameIn(item: unknown, field: string): string | undefined {
  if (typeof item !== 'object' || item === null) return undefined;
  const own = (item as Readonly<Record<string, unknown>>)[field];
  return typeof own === 'string' || typeof own === 'number' ? String(own) : undefined;
}

function listText(a: NamedParts, b: NamedParts, unit: string): string {
  // Only lists whose items have names in both are compared item by item.
  if (a.isNamed !== b.isNamed && a.parts.size > 0 && b.parts.size > 0)
    return sizesText(a.parts.size, b.parts.size, unit);
  const isNamed = a.parts.size === 0 ? b.isNamed : a.isNamed;
  const gone = [...a.parts.keys()].filter((name) => !b.parts.has(name));
  const came = [...b.parts.keys()].filter((name) => !a.parts.has(name));
  const texts: string[] = [];
  if (gone.length > 0 || came.length > 0) {
    const names = [
      ...(isNamed && gone.length > 0 ? [`without ${listed(gone)}`] : []),
      ...(isNamed && came.length > 0 ? [`with ${listed(came)}`] : []),
    ];
    texts.push([sizesText(a.parts.size, b.parts.size, unit), ...names].join(', '));
  }
  const changed: string[] = [];
  let changedCount = 0;
  for (const [name, part] of b.parts) {
    if (!a.parts.has(name)) continue;
    const was = a.parts.get(name);
    if (sameData(was, part)) continue;
    if (++changedCount <= MOST_NAMED) changed.push(`${isNamed ? name : `item ${name}`}, ${fieldsText(was, part)}`);
  }
  texts.push(...changed);
  if (changedCount > MOST_NAMED) texts.push(`${changedCount - MOST_NAMED} more changed`);
  const isOrdered = isNamed && sameOrder(a.parts, b.parts);
  if (isNamed && !isOrdered) texts.push('order changed');
  else if (isNamed && changedCount > 0 && gone.length + came.length === 0 && a.parts.size > 1)
    texts.push('order unchanged');
  return texts.join('; ');
}

/** Whether what both have stands in the same order. */
function sameOrder(a: ReadonlyMap<string, unknown>, b: ReadonlyMap<string, unknown>): boolean {
  const both = [...a.keys()].filter((name) => b.has(name));
  let i = 0;
  for (const name of b.keys()) if (a.has(name) && both[i++] !== name) return false;
  return true;
}

function objectText(
  before: object,
  after: object,
  a: ReadonlyMap<string, unknown>,
  b: ReadonlyMap<string, unknown>,
): string {
  if (isBranch(before) && isBranch(after)) return fieldsText(before, after);
  const gone = [...a.keys()].filter((name) => !b.has(name));
  const came = [...b.keys()].filter((name) => !a.has(name));
  const changed = [...b.keys()].filter((name) => a.has(name) && !sameData(a.get(name), b.get(name)));
  return [
    ...(gone.length > 0 ? [`without ${listed(gone)}`] : []),
    ...(came.length > 0 ? [`with ${listed(came)}`] : []),
    ...changed.slice(0, MOST_NAMED).map((name) => `${name}, ${fieldsText(a.get(name), b.get(name))}`),
    ...(changed.length > MOST_NAMED ? [`${changed.length - MOST_NAMED} more changed`] : []),
  ].join('; ');
}

/** The fields of a part that differ, each with both values. */
function fieldsText(before: unknown, after: unknown): string {
  if (!isBranch(before) || !isBranch(after)) return `${shortText(before)} → ${shortText(after)}`;
  const places: string[] = [];
  findDifferent(before, after, [], places);
  const texts = places.slice(0, MOST_NAMED).map((place) => {
    const [was, is] = [valueAt(before, place), valueAt(after, place)];
    const name = parsePointer(place).join(' · ');
    const inside = was && is && isBranch(was.value) && isBranch(is.value) && name !== '';
    if (inside) return `${name}: ${differenceText(was.value, is.value) ?? 'another one'}`;
    const values = `${was ? shortText(was.value) : 'none'} → ${is ? shortText(is.value) : 'none'}`;
    return name === '' ? values : `${name} ${values}`;
  });
  if (places.length > MOST_NAMED) texts.push(`${places.length - MOST_NAMED} more fields`);
  return texts.join(', ');
}

function shortText(value: unknown): string {
  const { text, kind } = valueShown(value);
  if (kind === 'text' && text === '') return '(empty text)';
  return text.length > MOST_VALUE ? `${text.slice(0, MOST_VALUE - 1)}…` : text;
}

const unitOf = (value: object): string => {
  const { kind } = valueShown(value);
  return kind === 'table' || kind === 'rows' ? 'row' : 'item';
};

const sizesText = (before: number, after: number, unit: string): string =>
  before === after
    ? `${after} ${unit}s as before`
    : `${before} → ${after} ${after === 1 && before <= 1 ? unit : `${unit}s`}`;

function listed(names: readonly string[]): string {
  const shown = names.slice(0, MOST_NAMED);
  if (names.length > MOST_NAMED) return `${shown.join(', ')} and ${names.length - MOST_NAMED} more`;
  return shown.length < 2 ? shown.join('') : `${shown.slice(0, -1).join(', ')} and ${shown[shown.length - 1]}`;
}

/** What is different in values that are asked for again and again: a moment that grows is. */
export class KnownDifferences {
  private readonly known = new WeakMap<object, { readonly before: object; readonly text: string | undefined }>();

  /** @returns as `differenceText`; `undefined` where one of them has no parts */
  of(before: unknown, after: unknown): string | undefined {
    if (typeof before !== 'object' || before === null || typeof after !== 'object' || after === null) return undefined;
    const known = this.known.get(after);
    if (known && known.before === before) return known.text;
    const text = differenceText(before, after);
    this.known.set(after, { before, text });
    return text;
  }
}
