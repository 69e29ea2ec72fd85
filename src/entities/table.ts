// A persistent ordered map from text keys to rows.
//
// Every version keeps its rows in a trie of 32-wide nodes, indexed by slot number: a new key gets the next slot, so slots
// are in insertion order, and changing a row copies one node a level. Which slot a key has is found in one ordinary Map
// that all versions of a table share. It may also know slots of other versions, so a version believes it only where its
// own trie holds that key in that slot. A removed row leaves its key behind; when more slots are left than rows, a new
// trie with a new Map is made of what there is.
//
// Two versions that share the Map are compared by going down both tries where they are not the same node.
import {
  DEV,
  type DRAFTED,
  type Keyed,
  KEYED,
  type KeyedDifference,
  type KeyedKind,
  keyedMaker,
  put,
  sameData,
} from '../core/internal.js';
import { firstOf, INSPECT, SHOWN } from './console.js';
import type { Table, TableDraft } from './table-types.js';
import { notPairs } from './errors.js';
import { tableKind } from './table-kind.js';
import {
  BITS,
  WIDTH,
  MASK,
  GONE,
  Leaf,
  Inner,
  own,
  eachLeafPair,
  raised,
  unsettledLeaves,
  settleNode,
  TrieWalk,
  type EditOwner,
  type TrieNode,
} from './trie.js';

/** As many slots and keys beyond those in use are not worth making again. */
const SLACK = 32;

/** By key, its slot; several, in order, where versions put it into different ones or it was removed and put in again. */
type Index = Map<string, number | number[]>;

/** A text key, as it stands in a table: a number becomes its decimal text. */
export const keyText = (key: string | number): string => (typeof key === 'string' ? key : String(key));

/**
 * A `Table`, and what the rest of this folder does with it. Larger than other classes, and its file than other files: its parts are
 * private, so that no other code reaches the trie.
 */
export class RowTable<Row = unknown> implements Keyed, Table<Row> {
  /** Development only: what the console of a browser shows, which lists private fields too. */
  #rows: ReadonlyMap<string, Row> | undefined;
  #index: Index;
  #root: TrieNode;
  /** Levels above the leaves. */
  #height = 0;
  /** Slots given out; the rows are fewer where some were removed. */
  #length = 0;
  #size = 0;
  #owner: EditOwner;
  /** Made of any rows, by any code: drafts or tracking proxies may be among them. */
  #raw = false;

  /** @internal */
  constructor(index: Index, root: TrieNode, owner: EditOwner) {
    this.#index = index;
    this.#root = root;
    this.#owner = owner;
  }

  /** Only for types: what a change sees of it. */
  declare readonly [DRAFTED]: TableDraft<Row>;

  /** @internal */
  get [KEYED](): KeyedKind {
    return tableKind;
  }
  get [Symbol.toStringTag](): string {
    return 'Table';
  }
  [INSPECT](depth: number, options: object, inspect: (value: unknown, options: object) => string): string {
    return depth < 0
      ? `[Table(${this.#size})]`
      : inspect(this.#size > SHOWN ? new Map(this) : (this.#rows ?? new Map(this)), options).replace(/^Map/, 'Table');
  }

  /** How many rows there are. */
  get size(): number {
    return this.#size;
  }

  get(key: string | number): Row | undefined {
    const text = keyText(key);
    const slot = this.#slotOf(text);
    if (slot < 0) return undefined;
    const row = this.#leaf(slot).rows[slot & MASK];
    return row === GONE ? undefined : (row as Row);
  }

  has(key: string | number): boolean {
    const slot = this.#slotOf(keyText(key));
    return slot >= 0 && this.#leaf(slot).rows[slot & MASK] !== GONE;
  }

  keys(): MapIterator<string> {
    return this.#walk((key) => key);
  }
  values(): MapIterator<Row> {
    return this.#walk((_key, row) => row as Row);
  }
  entries(): MapIterator<[string, Row]> {
    return this.#walk((key, row) => [key, row as Row]);
  }
  [Symbol.iterator](): MapIterator<[string, Row]> {
    return this.entries();
  }
  forEach(fn: (row: Row, key: string, table: ReadonlyMap<string, Row>) => void): void {
    this.#each((key, row) => fn(row as Row, key, this));
  }

  /** The rows as an object, as a JSON Pointer sees them. An object does not keep every order of keys: files do it otherwise. */
  toJSON(): Record<string, Row> {
    const rows: Record<string, Row> = {};
    this.#each((key, row) => put(rows, key, row));
    return rows;
  }

  #walk<T>(pick: (key: string, row: unknown) => T): MapIterator<T> {
    return new TrieWalk((slot) => this.#leaf(slot), this.#length, pick);
  }

  #each(fn: (key: string, row: unknown) => void): void {
    for (let slot = 0; slot < this.#length; slot += WIDTH) {
      const { keys, rows } = this.#leaf(slot);
      for (let i = 0; i < rows.length; i++) if (rows[i] !== GONE) fn(keys[i], rows[i]);
    }
  }

  #leaf(slot: number): Leaf {
    let node = this.#root;
    for (let shift = this.#height * BITS; shift > 0; shift -= BITS)
      node = (node as Inner).kids[(slot >>> shift) & MASK];
    return node as Leaf;
  }

  /** The newest slot in which this version put a key, or -1; the row there may be gone. */
  #slotOf(key: string): number {
    const known = this.#index.get(key);
    if (known === undefined) return -1;
    if (typeof known === 'number') return this.#holds(known, key) ? known : -1;
    for (let i = known.length - 1; i >= 0; i--) if (this.#holds(known[i], key)) return known[i];
    return -1;
  }
  #holds(slot: number, key: string): boolean {
    return slot < this.#length && this.#leaf(slot).keys[slot & MASK] === key;
  }

  // ---- edits: only on a version that `edit` made and `seal` has not yet closed ----

  /** A version that may be edited in place until it is sealed; nothing is copied before it is edited. */
  static edit<Row>(table: RowTable<Row>): RowTable<Row> {
    if (table.#length === 0) return RowTable.start();
    const next = new RowTable<Row>(table.#index, table.#root, {});
    next.#height = table.#height;
    next.#length = table.#length;
    next.#size = table.#size;
    return next;
  }

  /** An empty version that may be edited. */
  static start<Row>(): RowTable<Row> {
    return new RowTable(new Map(), new Leaf([], [], undefined, false), {});
  }

  static seal<Row>(table: RowTable<Row>): RowTable<Row> {
    table.#owner = undefined;
    if (DEV) table.#rows = new Map(firstOf(table, SHOWN));
    return table;
  }

  /**
   * Replaces the row of a key in its place, or puts it at the end. Gives the slot; where the key had been removed before,
   * the bitwise complement of it.
   */
  static set(table: RowTable, key: string, row: unknown): number {
    const known = table.#index.get(key);
    const slot = typeof known === 'number' && known < table.#length ? known : table.#slotOf(key);
    if (slot < 0) return table.#append(key, row);
    const { keys, rows } = table.#owned(slot);
    // Another version put the key there, and this one another key.
    if (keys[slot & MASK] !== key) return table.#append(key, row);
    if (rows[slot & MASK] !== GONE) {
      rows[slot & MASK] = row;
      return slot;
    }
    if (slot !== table.#length - 1) return ~table.#append(key, row);
    table.#revive(slot, row);
    return ~slot;
  }

  /** Gives the slot that the row had; -1 where there is none. */
  static delete(table: RowTable, key: string): number {
    const slot = table.#slotOf(key);
    if (slot < 0 || table.#leaf(slot).rows[slot & MASK] === GONE) return -1;
    table.#owned(slot).rows[slot & MASK] = GONE;
    table.#size--;
    if (table.#length - table.#size > table.#size + SLACK) table.#rebuild(table.entries());
    return slot;
  }

  /**
   * Gives the rows in some slots of an edited version their final values; whether any of them differs in the end.
   * @param settle gets the row now, and the row before if there was one
   */
  static settleRows(
    before: RowTable,
    edited: RowTable,
    slots: readonly number[],
    settle: (row: unknown, old: unknown, had: boolean) => unknown,
  ): boolean {
    // Made again on the way: slots are others than they were.
    if (before.#index !== edited.#index) {
      for (let slot = 0; slot < edited.#length; slot++) {
        const { keys, rows } = edited.#leaf(slot);
        const i = slot & MASK;
        if (rows[i] !== GONE) rows[i] = settle(rows[i], before.get(keys[i]), before.has(keys[i]));
      }
      return !RowTable.same(before, edited);
    }
    let differs = false;
    for (const slot of slots) {
      const i = slot & MASK;
      const { keys, rows } = edited.#leaf(slot);
      const leaf = slot < before.#length ? before.#leaf(slot) : undefined;
      const was = leaf ? leaf.rows[i] : GONE;
      if (rows[i] === was && (was === GONE || leaf!.keys[i] === keys[i])) continue;
      const had = was !== GONE && leaf!.keys[i] === keys[i];
      if (rows[i] !== GONE) rows[i] = settle(rows[i], had ? was : undefined, had);
      if (!had || rows[i] !== was) differs = true;
    }
    return differs;
  }

  static clear(table: RowTable): void {
    table.#rebuild([]);
  }

  /** Puts a new row before another one; only where it had not stood before does that cost the whole table. */
  static insert(table: RowTable, key: string, row: unknown, before: string): void {
    const slot = table.#slotOf(key);
    if (slot >= 0 && table.#live(slot + 1)?.key === before) return table.#revive(slot, row);
    const rows = Array.from(table.entries());
    rows.splice(
      rows.findIndex(([other]) => other === before),
      0,
      [key, row],
    );
    table.#rebuild(rows);
  }

  #revive(slot: number, row: unknown): void {
    this.#owned(slot).rows[slot & MASK] = row;
    this.#size++;
  }

  #append(key: string, row: unknown): number {
    if (this.#index.size > 2 * this.#length + SLACK) this.#reindex();
    const slot = this.#length++;
    this.#size++;
    if (slot === WIDTH << (BITS * this.#height)) {
      this.#root = new Inner([this.#root], this.#owner);
      this.#height++;
    }
    const leaf = this.#owned(slot);
    if (!leaf.ownsKeys) {
      leaf.keys = leaf.keys.slice();
      leaf.ownsKeys = true;
    }
    leaf.keys.push(key);
    leaf.rows.push(row);
    note(this.#index, key, slot);
    return slot;
  }

  /** The leaf of a slot, with everything on the way to it ours to edit; made where there is none yet. */
  #owned(slot: number): Leaf {
    const owner = this.#owner;
    let shift = this.#height * BITS;
    let node = (this.#root = own(this.#root, owner, shift));
    while (shift > 0) {
      const { kids } = node as Inner;
      const i = (slot >>> shift) & MASK;
      shift -= BITS;
      const kid = kids[i] as TrieNode | undefined;
      node = kid?.owner === owner && kid !== undefined ? kid : (kids[i] = own(kid, owner, shift));
    }
    return node as Leaf;
  }

  #rebuild(rows: Iterable<readonly [string, unknown]>): void {
    const kept = [...rows];
    this.#index = new Map();
    this.#root = new Leaf([], [], this.#owner, true);
    this.#height = this.#length = this.#size = 0;
    for (const [key, row] of kept) this.#append(key, row);
  }

  /** Other versions left more keys than this one has: it goes on with an index of its own. */
  #reindex(): void {
    this.#index = new Map();
    for (let slot = 0; slot < this.#length; slot++) note(this.#index, this.#leaf(slot).keys[slot & MASK], slot);
  }

  // ---- questions of the core ----

  /** The first row at or after a slot. */
  #live(from: number): { readonly key: string; readonly slot: number } | undefined {
    for (let slot = from; slot < this.#length; slot++) {
      const leaf = this.#leaf(slot);
      if (leaf.rows[slot & MASK] !== GONE) return { key: leaf.keys[slot & MASK], slot };
    }
    return undefined;
  }

  static keyAfter(table: RowTable, key: string): string | undefined {
    return table.#live(table.#slotOf(key) + 1)?.key;
  }

  /** A number that is greater for rows further down; comparable between versions as long as `sameSlots` says so. */
  static slot(table: RowTable, key: string): number {
    return table.#slotOf(key);
  }
  /** As `slot`, for keys that mostly come in the order of the table: looks at the slot after the last one first. */
  static slotAfter(table: RowTable, last: number, key: string): number {
    const next = last + 1;
    // Where the row there was removed, the key may stand further down again.
    return table.#holds(next, key) && table.#leaf(next).rows[next & MASK] !== GONE ? next : table.#slotOf(key);
  }
  /** The row in a slot; `undefined` where it was removed, and for -1. */
  static rowIn(table: RowTable, slot: number): unknown {
    const row = slot < 0 ? GONE : table.#leaf(slot).rows[slot & MASK];
    return row === GONE ? undefined : row;
  }
  static sameSlots(a: RowTable, b: RowTable): boolean {
    return a.#index === b.#index;
  }

  static difference(before: RowTable, after: RowTable): KeyedDifference;
  static difference(before: RowTable, after: RowTable, most?: number): KeyedDifference | undefined;
  static difference(before: RowTable, after: RowTable, most = Infinity): KeyedDifference | undefined {
    if (before.#index !== after.#index) return foreignDifference(before, after);
    const changed: string[] = [];
    const removed: string[] = [];
    const added: string[] = [];
    const isAll = eachLeafPair(before.#aligned(after), after.#aligned(before), (left, right) => {
      const [oldKeys, oldRows] = left ? [left.keys, left.rows] : [NO_KEYS, NO_KEYS];
      const [keys, rows] = right ? [right.keys, right.rows] : [NO_KEYS, NO_KEYS];
      const count = Math.max(oldRows.length, rows.length);
      for (let i = 0; i < count; i++) {
        const was = i < oldRows.length ? oldRows[i] : GONE;
        const is = i < rows.length ? rows[i] : GONE;
        if (was === is && (oldKeys === keys || oldKeys[i] === keys[i])) continue;
        if (oldKeys[i] === keys[i] && was !== GONE && is !== GONE) changed.push(keys[i]);
        else {
          if (was !== GONE) removed.push(oldKeys[i]);
          if (is !== GONE) added.push(keys[i]);
        }
      }
      return changed.length + removed.length + added.length <= most;
    });
    return isAll ? { changed, removed, added } : undefined;
  }

  static same(a: RowTable, b: RowTable): boolean {
    if (a === b) return true;
    if (a.#size !== b.#size) return false;
    if (a.#index === b.#index) {
      const { changed, removed } = RowTable.difference(a, b);
      if (removed.length === 0) return changed.every((key) => sameData(a.get(key), b.get(key)));
    }
    // Slots say nothing of the order where rows came and went: only the rows that are there do.
    const others = b.entries();
    for (const [key, row] of a) {
      const [otherKey, otherRow] = others.next().value!;
      if (key !== otherKey || !sameData(row, otherRow)) return false;
    }
    return true;
  }

  /** With the rows of a table that `tableOf` made replaced, once; a table that the state holds is as it should be. */
  static resolved(table: RowTable, replace: (row: unknown) => unknown): RowTable {
    if (!table.#raw) return table;
    table.#raw = false;
    const next = RowTable.edit(table);
    let differs = false;
    table.#each((key, row) => {
      const final = replace(row);
      if (final === row) return;
      RowTable.set(next, key, final);
      differs = true;
    });
    return differs ? RowTable.seal(next) : table;
  }

  /** `tableOf`. */
  static of(rows: Iterable<readonly [string | number, unknown]>): RowTable {
    const table = RowTable.start();
    for (const [key, row] of rows) RowTable.set(table, keyText(key), row);
    table.#raw = true;
    return RowTable.seal(table);
  }

  /** The root, as high as that of the higher one of two: the lower trie stands where the first branch of the other does. */
  #aligned(other: RowTable): TrieNode {
    return raised(this.#root, other.#height - this.#height);
  }

  static *unsettled(table: RowTable, settled: WeakSet<object>): Iterable<readonly [string, unknown]> {
    for (const leaf of unsettledLeaves(table.#root, settled)) {
      const { keys, rows } = leaf;
      for (let i = 0; i < rows.length; i++) if (rows[i] !== GONE) yield [keys[i], rows[i]];
    }
  }

  static settle(table: RowTable, settled: WeakSet<object>): void {
    settleNode(table.#root, settled);
  }
}

/**
 * A table of rows, in their order; of two with one key the later row counts, in the place of the first.
 * @param rows pairs of key and row, or a Map. Default: none
 * @throws FLOE_NO_KEY for rows without their keys
 * @example
 * const names = tableOf([['SK-114', { name: 'Corran Bell' }]]);
 */
export function tableOf<Row>(rows: Iterable<readonly [string | number, Row]> = []): Table<Row> {
  try {
    return RowTable.of(rows) as RowTable<Row>;
  } catch (cause) {
    throw isOfPairs(rows) ? cause : notPairs(cause);
  }
}

/** Whether an iteration may have failed for another reason than that these are no pairs. */
const isOfPairs = (rows: unknown): boolean =>
  Array.isArray(rows)
    ? rows.every((row) => Array.isArray(row))
    : typeof (rows as Partial<Iterable<unknown>> | null)?.[Symbol.iterator] === 'function';

/** Lets what is encoded hold tables. Whoever imports a table has called it; a tool that only opens files calls it itself. */
export function knowTables(): void {
  keyedMaker.make = (rows) => RowTable.of(rows);
}
knowTables();

function note(index: Index, key: string, slot: number): void {
  const known = index.get(key);
  if (known === undefined) index.set(key, slot);
  else if (typeof known === 'number') {
    if (known !== slot) index.set(key, known < slot ? [known, slot] : [slot, known]);
  } else {
    let i = known.length;
    while (i > 0 && known[i - 1] > slot) i--;
    if (known[i - 1] !== slot) known.splice(i, 0, slot);
  }
}

const NO_KEYS: string[] = [];

/** Of two tables that have no slots in common. */
function foreignDifference(before: RowTable, after: RowTable): KeyedDifference {
  const changed: string[] = [];
  const removed: string[] = [];
  const added: string[] = [];
  const kept: string[] = [];
  for (const [key, row] of before) {
    if (!after.has(key)) removed.push(key);
    else {
      kept.push(key);
      if (after.get(key) !== row) changed.push(key);
    }
  }
  let next = 0;
  let inOrder = true;
  for (const key of after.keys()) {
    if (!before.has(key)) added.push(key);
    else if (kept[next++] !== key) inOrder = false;
  }
  return inOrder ? { changed, removed, added } : { changed: [], removed: [...before.keys()], added: [...after.keys()] };
}
