import { DEV } from '../core/internal.js';
import { INSPECT, SHOWN } from './console.js';
import { eachItem, itemAt, lengthOf, type Sequence } from './sequence.js';

/** A row in a view, and where it stands in its table. */
export interface RowEntry<Row> {
  readonly key: string;
  readonly row: Row;
  readonly slot: number;
}

/**
 * A read-only sequence of rows that a view maintains. Versions share what is the same, so it costs little to keep an
 * older one; `toArray` and `slice` give plain arrays.
 */
export class Rows<Row> implements Iterable<Row> {
  /** Development only: what the console of a browser shows, which lists private fields too. */
  readonly #rows: readonly Row[] | undefined;
  readonly #entries: Sequence<RowEntry<Row>>;
  readonly #limit: number;

  /** @internal */
  constructor(entries: Sequence<RowEntry<Row>>, limit = Infinity) {
    this.#entries = entries;
    this.#limit = limit;
    this.#rows = DEV ? this.slice(0, SHOWN) : undefined;
  }

  get [Symbol.toStringTag](): string {
    return 'Rows';
  }
  [INSPECT](depth: number, options: object, inspect: (value: unknown, options: object) => string): string {
    return depth < 0
      ? `[Rows(${this.length})]`
      : `Rows(${this.length}) ${inspect(this.length > SHOWN ? this.toArray() : (this.#rows ?? this.toArray()), options)}`;
  }

  get length(): number {
    return Math.min(this.#limit, lengthOf(this.#entries));
  }

  /** The row at an index; a negative one counts from the end. */
  at(index: number): Row | undefined {
    const from = index < 0 ? this.length + index : index;
    return from < this.length ? itemAt(this.#entries, Math.trunc(from))?.row : undefined;
  }

  /** The key of the row at an index. */
  keyAt(index: number): string | undefined {
    const from = index < 0 ? this.length + index : index;
    return from < this.length ? itemAt(this.#entries, Math.trunc(from))?.key : undefined;
  }

  forEach(fn: (row: Row, index: number) => void): void {
    let index = 0;
    eachItem(this.#entries, 0, ({ row }) => {
      if (index >= this.#limit) return false;
      fn(row, index++);
      return true;
    });
  }

  map<T>(fn: (row: Row, index: number) => T): T[] {
    const made: T[] = [];
    this.forEach((row, index) => made.push(fn(row, index)));
    return made;
  }

  filter(fn: (row: Row, index: number) => boolean): Row[] {
    const made: Row[] = [];
    this.forEach((row, index) => {
      if (fn(row, index)) made.push(row);
    });
    return made;
  }

  /** The first row for which `fn` holds. */
  find(fn: (row: Row, index: number) => boolean): Row | undefined {
    let index = 0;
    let found: Row | undefined;
    eachItem(this.#entries, 0, ({ row }) => {
      if (index >= this.#limit) return false;
      if (!fn(row, index++)) return true;
      found = row;
      return false;
    });
    return found;
  }

  /** As `Array.prototype.slice`. */
  slice(start = 0, end = this.length): Row[] {
    const from = start < 0 ? Math.max(0, this.length + start) : start;
    const to = Math.min(this.length, end < 0 ? this.length + end : end);
    const made: Row[] = [];
    if (from >= to) return made;
    eachItem(this.#entries, from, ({ row }) => {
      made.push(row);
      return from + made.length < to;
    });
    return made;
  }

  toArray(): Row[] {
    return this.slice();
  }

  keys(): string[] {
    const made: string[] = [];
    eachItem(this.#entries, 0, ({ key }) => made.length < this.#limit && made.push(key) > 0);
    return made;
  }

  *[Symbol.iterator](): Iterator<Row> {
    // In pieces, so that no piece of the tree has to be kept open.
    for (let from = 0; from < this.length; from += 256) yield* this.slice(from, Math.min(this.length, from + 256));
  }

  toJSON(): Row[] {
    return this.toArray();
  }
}

/** The rows of one group. */
export interface Group<Row, K = unknown> {
  readonly key: K;
  readonly rows: Rows<Row>;
}
