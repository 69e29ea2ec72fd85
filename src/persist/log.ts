// What is stored for one store, as text: a first line with the whole state, then a line for each change since. JSON Lines,
// each line sealed (`sealed.ts`); the changes are JSON Patch documents (RFC 6902).
import { decode, encode, messageOf } from '../core/internal.js';
import { applyPatch, type Patch } from '../core/index.js';
import { hex, seal, unseal, type ChecksummedLine } from './checksums.js';

/**
 * The version of the stored format.
 * Raise it when an older floe would misread what a newer one stores; then teach `readLog` to open the older one too.
 */
const STORED_VERSION = 2;

/** The first line, without its checksum. */
interface FirstLine {
  readonly floe: 'stored';
  readonly format: number;
  readonly store: string;
  /** The version of the store, as `persisted({ version })` says. */
  readonly version: number;
  /** The checksum of the last line of the log that this one replaces: no two logs are the same, though their states are. */
  readonly after?: string;
  /** The checksums of the lines before that one, oldest first: where several writers meet, they tell who had seen what. */
  readonly past?: readonly string[];
  /** Who wrote it. Texts of earlier versions do not say. */
  readonly by?: Writer;
  /** It holds nothing that JSON cannot carry: nothing has to be decoded. */
  readonly plain?: true;
  /** The kept part, encoded. */
  readonly state: unknown;
}

/**
 * A session, and how often it has written: so a session knows its own write again, though it never heard that it was done.
 * A checksum would not tell: two sessions that do the same write the same.
 */
export type Writer = readonly [session: string, number: number];

/** Where a log ends, for what is added to it. */
export interface LogEnd {
  /** The checksum of the first line: tells this log from every other one. */
  readonly id: string;
  /** The checksum of the last line. */
  readonly sum: number;
  /** How many texts were added after the first line. */
  readonly additions: number;
  /** Lengths of the first line, and of what was added since. */
  readonly whole: number;
  readonly added: number;
}

/** A log that was read. */
export interface Log {
  readonly version: number;
  /** The kept part after the last line that can be used. */
  readonly state: unknown;
  /** Where more can be added; absent where the whole log must be written first. */
  readonly end: LogEnd | undefined;
  /** The checksum of the last line that can be used. */
  readonly sum?: number;
  /** How many changes it holds. */
  readonly changes: number;
  /** What is wrong with the rest, and whether it merely ends within a line. */
  readonly damage?: { readonly why: string; readonly cut: boolean };
}

/** A log that a newer version wrote. */
export interface NewerLog {
  readonly newer: string;
}

/**
 * @param before the lines that the log replaces, oldest first
 * @param by the session, and its number for the text
 */
export function firstLine(
  { store, version, by }: Pick<FirstLine, 'store' | 'version' | 'by'>,
  before: readonly string[],
  state: unknown,
): ChecksummedLine {
  const encoded = encode(state);
  const [after, ...past] = before.slice(-LINEAGE).reverse();
  const line: FirstLine = {
    floe: 'stored',
    format: STORED_VERSION,
    store,
    version,
    ...(after !== undefined && { after, past: past.reverse() }),
    by,
    ...(encoded === state && { plain: true }),
    state: encoded,
  };
  return seal(line);
}

/** How many checksums of earlier lines a first line names. */
export const LINEAGE = 8;

/** The lines that a text replaces. */
export interface Lineage {
  /** Their checksums, oldest first; the last one is that of the last line of the text. */
  readonly sums: readonly string[];
  /** Nothing was stored before the oldest of them. */
  readonly isWhole: boolean;
}

/** The lines that a text replaces, as the text says it: nothing is checked. */
export function lineageOf(text: string): Lineage {
  const [, after, past] = BEFORE.exec(text) ?? [];
  const before = [...(past?.match(/[0-9a-f]{8}/g) ?? []), ...(after ? [after] : [])];
  const lines = text.split('\n').flatMap((line) => (line.startsWith('{"sum":"') ? [line.slice(8, 16)] : []));
  return {
    sums: [...before, ...lines],
    isWhole: after === undefined || (past !== undefined && before.length < LINEAGE),
  };
}
const BEFORE =
  /^\{"sum":"[0-9a-f]{8}","floe":"stored","format":[0-9]+,"store":"(?:[^"\\]|\\.)*","version":[^,]+(?:,"after":"([0-9a-f]{8})")?(?:,"past":\[([^\]]*)\])?/;

/** @param by the session, and its number for the text */
export const changeLine = (changes: Patch, before: number, by: Writer): ChecksummedLine =>
  seal({ by, changes: encode(changes) }, before);

/** Who wrote the last line of a text, as the text says it: nothing is checked. */
export function writerOf(text: string): Writer | undefined {
  const end = text.endsWith('\n') ? text.length - 1 : text.length;
  const line = text.slice(text.lastIndexOf('\n', end - 1) + 1, end);
  const [, id, number] = BY.exec(line) ?? [];
  return id === undefined ? undefined : [id, Number(number)];
}
const BY = /(?:^\{"sum":"[0-9a-f]{8}"|[0-9\]"]),"by":\["([0-9a-z]+)",([0-9]+)\],/;

/**
 * Reads what is stored for a store.
 * @param firstSum the checksum of its first line, where that is known
 * @throws Error when not even the first line can be used
 */
export function readLog(store: string, text: string, firstSum?: number): Log | NewerLog {
  const lineEnd = text.indexOf('\n');
  const first = lineEnd < 0 ? text : text.slice(0, lineEnd);
  const { value, sum } = unseal(first, 0, firstSum);
  const { floe, format, version, store: name, plain, state } = value as Partial<FirstLine>;
  if (floe !== 'stored' || typeof format !== 'number' || typeof version !== 'number')
    throw new Error('it was not written by floe');
  if (format > STORED_VERSION) return { newer: `format ${format}` };
  if (name !== store) throw new Error(`it is of the store '${name}'`);
  const id = hex(sum);
  const begun = plain ? state : decodeIn(first, state);
  return {
    version,
    ...readChanges(begun, text, (lineEnd < 0 ? text.length : lineEnd) + 1, { id, sum, whole: first.length + 1 }),
  };
}

/** Nearly no text holds a leaf value that JSON cannot carry. */
const decodeIn = (text: string, value: unknown): unknown => (text.includes('"floe:type"') ? decode(value) : value);

function readChanges(
  begun: unknown,
  text: string,
  from: number,
  { id, sum, whole }: Pick<LogEnd, 'id' | 'sum' | 'whole'>,
): Omit<Log, 'version'> {
  const patches: Patch[] = [];
  let damage: Log['damage'] =
    from > text.length ? { why: 'the end of its first line is missing', cut: true } : undefined;
  let at = from;
  while (at < text.length) {
    const end = text.indexOf('\n', at);
    const line = end < 0 ? text.slice(at) : text.slice(at, end);
    try {
      if (end < 0) throw new Error('its end is missing');
      const unsealed = unseal(line, sum);
      patches.push(decodeIn(line, unsealed.value.changes) as Patch);
      sum = unsealed.sum;
    } catch (cause) {
      damage = { why: `change ${patches.length + 1} cannot be used: ${messageOf(cause)}`, cut: end < 0 };
      break;
    }
    at = end + 1;
  }
  const end = damage ? undefined : { id, sum, additions: patches.length, whole, added: text.length - from };
  try {
    // As one patch: what several of them change is copied once.
    const state = patches.length === 0 ? begun : applyPatch(begun, patches.flat());
    return { state, end, sum, changes: patches.length, ...(damage && { damage }) };
  } catch {
    return { ...applyOneByOne(begun, patches), sum };
  }
}

/** As far as they can be applied. */
function applyOneByOne(begun: unknown, patches: readonly Patch[]): Omit<Log, 'version'> {
  let state = begun;
  for (const [i, patch] of patches.entries()) {
    try {
      state = applyPatch(state, patch);
    } catch (cause) {
      const damage = { why: `change ${i + 1} cannot be applied: ${messageOf(cause)}`, cut: false };
      return { state, end: undefined, changes: i, damage };
    }
  }
  return { state, end: undefined, changes: patches.length };
}
