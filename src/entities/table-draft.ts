// A table in a change: what the change sees, and the node that turns its edits into the next version.
import { alive, DraftNode, nodeOf, withoutDrafts, type Draft } from '../core/draft.js';
import { draftEnded } from '../core/errors.js';
import { NODE, same, sameData, type Branch } from '../core/plain.js';
import { keyText, Table } from './table.js';

/** A table while a change runs: a `Map` whose rows are drafts. */
export interface TableDraft<Row> extends Omit<
  Map<string, Draft<Row>>,
  'get' | 'has' | 'set' | 'delete' | 'getOrInsert' | 'getOrInsertComputed'
> {
  get(key: string | number): Draft<Row> | undefined;
  has(key: string | number): boolean;
  /** Puts a row in: in the place of the one with that key, or at the end. */
  set(key: string | number, row: Row | Draft<Row>): this;
  delete(key: string | number): boolean;
  clear(): void;
}

const asTable = (value: Branch): Table => value as unknown as Table;

export class TableNode extends DraftNode {
  protected override face(): object {
    return new DraftOfTable(this);
  }
  protected override copied(): Branch {
    return Table.edit(asTable(this.base));
  }
  get rows(): Table {
    return asTable(this.source);
  }

  override part(key: string): unknown {
    const row = this.rows.get(key);
    return typeof row === 'object' && row !== null ? this.wrap(key, row) : row;
  }
  protected override isNew(row: object, key?: string): boolean {
    return this.fresh || (this.copy !== undefined && (key === undefined || asTable(this.base).get(key) !== row));
  }
  protected override write(key: string, row: unknown): void {
    Table.set(asTable(this.edit()), key, row);
  }

  override assign(key: string, row: unknown): void {
    const { rows } = this;
    const inner = nodeOf(row);
    if (inner && (inner.editing !== this.editing || inner.serial !== this.serial)) throw draftEnded(key);
    const old = rows.get(key);
    const kid = this.kidAt(key);
    if (inner ? inner === kid : !kid?.changed && same(old, row) && (old !== undefined || rows.has(key))) return;
    // A row that was taken out and is put in again stands at the end: the touched keys do not tell.
    if (this.copy && !rows.has(key) && asTable(this.base).has(key)) this.moved = true;
    this.write(key, row);
    this.touchKey(key);
    if (kid) this.dropKid(key);
  }
  override remove(key: string): void {
    if (!this.rows.has(key)) return;
    Table.delete(asTable(this.edit()), key);
    this.touchKey(key);
    this.dropKid(key);
  }
  clear(): void {
    if (this.rows.size === 0) return;
    Table.clear(asTable(this.edit()));
    this.kid = this.kids = undefined;
    this.moved = true;
  }

  protected override foldFresh(): Branch {
    if (this.kid) this.foldFreshKid(this.kidKey, this.kid);
    if (this.kids) for (const [key, kid] of this.kids) this.foldFreshKid(key, kid);
    const { copy } = this;
    if (!copy) return this.base;
    for (const [key, row] of [...asTable(copy)]) this.settleRow(asTable(copy), key, row);
    return Table.seal(asTable(copy));
  }
  protected override foldFreshKid(key: string, kid: DraftNode): void {
    const row = kid.fold();
    if (row !== kid.base) Table.set(asTable((this.copy ??= this.copied())), key, row);
  }

  protected override foldKnown(): Branch {
    const base = asTable(this.base);
    let differs = this.kid !== undefined && this.foldKid(this.kidKey, this.kid);
    if (this.kids) for (const [key, kid] of this.kids) differs = this.foldKid(key, kid) || differs;
    if (!this.copy) return this.base;
    const copy = asTable(this.copy);
    if (this.moved) {
      for (const [key, row] of [...copy]) this.settleRow(copy, key, row);
      return sameData(base, copy) ? this.base : Table.seal(copy);
    }
    for (const key of this.keys ?? []) {
      const kid = this.kidAt(key);
      if (kid && !kid.fresh) continue;
      const row = copy.get(key);
      if (copy.has(key) !== base.has(key)) {
        if (copy.has(key)) this.settleRow(copy, key, row);
        differs = true;
      } else if (copy.has(key)) {
        const final = this.settleRow(copy, key, row);
        const old = base.get(key);
        if (final === old) continue;
        if (sameData(old, final)) Table.set(copy, key, old);
        else differs = true;
      }
    }
    return differs ? Table.seal(copy) : this.base;
  }

  /** Puts the final value of a row that may hold drafts in its place. */
  private settleRow(copy: Table, key: string, row: unknown): unknown {
    const final = withoutDrafts(row);
    if (final !== row) Table.set(copy, key, final);
    return final;
  }
}

class DraftOfTable implements TableDraft<unknown> {
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
