// What users see of a table: outside of a change, and in one.
import type { Draft, DRAFTED } from '../core/internal.js';

/**
 * An immutable map from text keys to rows, in insertion order, with the reading half of the standard `Map`. In a change,
 * its draft also has `set`, `delete` and `clear`. Versions share all rows in which they do not differ.
 */
export interface Table<Row = unknown> extends Omit<ReadonlyMap<string, Row>, 'get' | 'has'> {
  /** The row of a key; a number means its decimal text. */
  get(key: string | number): Row | undefined;
  has(key: string | number): boolean;
  [Symbol.iterator](): MapIterator<[string, Row]>;
  /** Only there for the types: what a change sees of it. */
  readonly [DRAFTED]: TableDraft<Row>;
}

/** A table while a change runs: a `Map` whose rows are drafts. To put in a whole new one, return the next state. */
export interface TableDraft<Row> extends Omit<Table<Draft<Row>>, typeof DRAFTED> {
  /** Puts a row in: in the place of the one with that key, or at the end. */
  set(key: string | number, row: Row | Draft<Row>): this;
  delete(key: string | number): boolean;
  clear(): void;
  /** Only there for the types: a table, and its draft, can stand for it. */
  readonly [DRAFTED]: TableDraft<Row>;
}
