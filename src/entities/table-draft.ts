// A table in a change: what the change sees, and the node that turns its edits into the next version.
import {
  alive,
  type Branch,
  type DRAFTED,
  draftEnded,
  DraftNode,
  NODE,
  nodeOf,
  sameData,
  withoutDrafts,
} from '../core/internal.js';
import { keyText, RowTable } from './table.js';
import type { TableDraft } from './table-types.js';

const asTable = (value: Branch): RowTable => value as unknown as RowTable;

export class TableNode extends DraftNode {
  /** The rows that were put in or taken out; edits of rows in their places are not among them. */
  private readonly slots: number[] = [];
  /** A row was taken out and put in again: it stands elsewhere, though all may come to the same. */
  private again = false;

  protected override face(): object {
    return new DraftOfTable(this);
  }
  protected override copied(): Branch {
    return RowTable.edit(asTable(this.base));
  }
  /** It is made for one change. */
  override isFor(): boolean {
    return false;
  }
  get rows(): RowTable {
    return asTable(this.source);
  }

  override part(key: string): unknown {
    const row = this.rows.get(key);
    return typeof row === 'object' && row !== null ? this.wrap(key, row) : row;
  }
  protected override isNew(row: object, key?: string): boolean {
    return this.fresh || (this.copy !== undefined && (key === undefined || asTable(this.base).get(key) !== row));
  }
  /** An edited row, in its place. */
  protected override write(key: string, row: unknown): void {
    RowTable.set(asTable(this.edit()), key, row);
  }

  override assign(key: string, row: unknown): void {
    const inner = nodeOf(row);
    if (inner && (inner.editing !== this.editing || inner.serial !== this.serial)) throw draftEnded(key);
    const kid = this.kidAt(key);
    if (inner && inner === kid) return;
    const slot = RowTable.set(asTable(this.edit()), key, row);
    this.slots.push(slot < 0 ? ~slot : slot);
    if (slot < 0) this.again = true;
    this.moved = true;
    if (kid) this.dropKid(key);
  }
  override remove(key: string): void {
    if (!this.rows.has(key)) return;
    this.slots.push(RowTable.delete(asTable(this.edit()), key));
    this.moved = true;
    this.dropKid(key);
  }
  clear(): void {
    if (this.rows.size === 0) return;
    RowTable.clear(asTable(this.edit()));
    this.kid = this.kids = undefined;
    this.moved = true;
  }

  protected override foldFresh(): Branch {
    if (this.kid) this.foldFreshKid(this.kidKey, this.kid);
    if (this.kids) for (const [key, kid] of this.kids) this.foldFreshKid(key, kid);
    const { copy } = this;
    if (!copy) return withoutDrafts(this.base) as Branch;
    const edited = asTable(copy);
    for (const [key, row] of [...edited]) {
      const final = withoutDrafts(row);
      if (final !== row) RowTable.set(edited, key, final);
    }
    return RowTable.seal(edited);
  }
  protected override foldFreshKid(key: string, kid: DraftNode): void {
    const row = kid.fold();
    if (row !== kid.base) RowTable.set(asTable((this.copy ??= this.copied())), key, row);
  }

  protected override foldKnown(): Branch {
    const base = asTable(this.base);
    this.foldKids();
    if (!this.copy) return this.base;
    // Only rows that were edited in their places touch their keys.
    let differs = this.keys !== undefined;
    const copy = asTable(this.copy);
    if (this.moved && RowTable.settleRows(base, copy, this.slots, settleRow)) differs = true;
    return differs && !(this.again && RowTable.same(base, copy)) ? RowTable.seal(copy) : this.base;
  }
}

/** The final value of a row that may hold drafts; the row before, where that is the same. */
function settleRow(row: unknown, old: unknown, had: boolean): unknown {
  const final = withoutDrafts(row);
  return had && sameData(old, final) ? old : final;
}

class DraftOfTable implements TableDraft<unknown> {
  declare readonly [DRAFTED]: TableDraft<unknown>;
  readonly #node: TableNode;
  constructor(node: TableNode) {
    this.#node = node;
  }
  get [NODE](): TableNode {
    return this.#node;
  }
  get [Symbol.toStringTag](): string {
    return 'Table';
  }
  #alive(key: string): TableNode {
    alive(this.#node, key);
    return this.#node;
  }

  get size(): number {
    return this.#alive('size').rows.size;
  }
  get(key: string | number): never {
    const text = keyText(key);
    return this.#alive(text).part(text) as never;
  }
  has(key: string | number): boolean {
    const text = keyText(key);
    return this.#alive(text).rows.has(text);
  }
  set(key: string | number, row: unknown): this {
    const text = keyText(key);
    this.#alive(text).assign(text, row);
    return this;
  }
  delete(key: string | number): boolean {
    const text = keyText(key);
    const had = this.has(text);
    this.#node.remove(text);
    return had;
  }
  clear(): void {
    this.#alive('clear').clear();
  }
  keys(): MapIterator<string> {
    return this.#alive('keys').rows.keys();
  }
  *entries(): MapIterator<[string, never]> {
    for (const key of [...this.keys()]) if (this.has(key)) yield [key, this.get(key)];
  }
  *values(): MapIterator<never> {
    for (const [, row] of this.entries()) yield row;
  }
  [Symbol.iterator](): MapIterator<[string, never]> {
    return this.entries();
  }
  forEach(fn: (row: never, key: string, table: never) => void): void {
    for (const [key, row] of this.entries()) fn(row, key, this as never);
  }
}
