// What becomes of a response: keys and rows by type.
import { hasOwn, put, sameData } from '../core/internal.js';
import type { TypePlan } from './plan.js';

/** Options of `ingest`. */
export interface IngestOptions {
  /** Where in the response the records stand, as a JSON Pointer. Default: the response itself is a record or a list of them. */
  readonly at?: string;
  /** Takes what is good and lists in the payload what was left out, instead of refusing it all. Default: false. */
  readonly skip?: boolean;
}

/** Something that was left out of a response. */
export interface Skipped {
  /** Where in the response, as a JSON Pointer. */
  readonly path: string;
  readonly code: string;
  readonly problem: string;
}

/** The payload of `ingest`: by type, the keys that came, in document order, and the row of each. */
export interface Ingested {
  readonly keys: Readonly<Record<string, readonly string[]>>;
  readonly rows: Readonly<Record<string, readonly unknown[]>>;
  /** What was left out, with `{ skip: true }`. */
  readonly skipped?: readonly Skipped[];
  /** By type and key, the links among it: a row that is there keeps its own, a new one gets null. */
  readonly withoutLinks?: Readonly<Record<string, Readonly<Record<string, readonly string[]>>>>;
}

export type Row = Record<string, unknown>;

/** A newer row on top of an older one: what it says wins, what it does not say stays. The older one if nothing differs. */
export function joined(join: TypePlan['join'], older: Row, newer: Row): Row {
  if (join) {
    const made = join(older as never, newer as never) as Row;
    return sameData(older, made) ? older : made;
  }
  let result = older;
  // Plain data: there is nothing enumerable to inherit, and this way no list of keys is made.
  for (const key in newer) {
    const value = newer[key];
    const known = older[key];
    if (Object.is(known, value) ? value !== undefined || hasOwn(older, key) : sameData(known, value)) continue;
    if (result === older) result = { ...older };
    put(result, key, value);
  }
  return result;
}
