// A table in a selector: notes which rows were read, whether the keys were listed, and whether the size was asked for.
import {
  currentReader,
  type Keyed,
  KEYED,
  type KeyedKind,
  NODE,
  type TrackedPlace,
  trackedPart,
  Tracked,
} from '../core/internal.js';
import { keyText } from './table.js';

export const tableProxy = (raw: Keyed, place: TrackedPlace): object => new TableProxy(new Tracked(raw, place), raw);

class TableProxy implements ReadonlyMap<string, unknown> {
  readonly #tracked: Tracked;
  readonly #raw: Keyed;
  constructor(tracked: Tracked, raw: Keyed) {
    this.#tracked = tracked;
    this.#raw = raw;
  }
  get [NODE](): Tracked {
    return this.#tracked;
  }
  get [KEYED](): KeyedKind {
    return this.#raw[KEYED];
  }
  get [Symbol.toStringTag](): string {
    return 'Table';
  }

  get size(): number {
    if (currentReader()) this.#tracked.place.noteSize();
    return this.#raw.size;
  }
  get(key: string | number): unknown {
    return trackedPart(this.#tracked, keyText(key));
  }
  has(key: string | number): boolean {
    const text = keyText(key);
    this.#tracked.place.notePresenceOf(text);
    return this.#raw.has(text);
  }
  keys(): MapIterator<string> {
    this.#tracked.place.noteKeys();
    return this.#raw.keys();
  }
  entries(): MapIterator<[string, unknown]> {
    const reader = currentReader();
    // A long table gone through is read as a whole.
    if (!reader || this.#tracked.place.collapsed(reader.run, this.#raw.size)) return this.#raw.entries();
    return this.#entriesOf(this.keys());
  }
  *#entriesOf(keys: Iterable<string>): MapIterator<[string, unknown]> {
    for (const key of keys) yield [key, this.get(key)];
  }
  *values(): MapIterator<unknown> {
    for (const [, row] of this.entries()) yield row;
  }
  [Symbol.iterator](): MapIterator<[string, unknown]> {
    return this.entries();
  }
  forEach(fn: (row: unknown, key: string, table: ReadonlyMap<string, unknown>) => void): void {
    for (const [key, row] of this.entries()) fn(row, key, this);
  }
}
