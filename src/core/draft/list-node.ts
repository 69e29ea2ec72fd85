// The node of a list in a change.
import { isDigit, type Listing } from '../data/list-reads.js';
import { inheritedOrOwn, sameData, type Branch, type Container } from '../data/plain.js';
import { alive, listFace, nodeOf } from './draft-faces.js';
import { DraftNode } from './node.js';
import { settledPart, withoutDrafts } from './settling.js';

/** So many new items are looked for one by one; more of them, by going through all items. */
const FEW_NEW = 8;

/** A list: it knows its parts by number, and they can move. */
export class ListNode extends DraftNode implements Listing {
  private kidIndex = -1;
  /** The drafts handed out for the others, by index, and the indexes in the order in which they were. */
  private kidList: (DraftNode | undefined)[] | undefined;
  private kidIndexes: number[] | undefined;
  /** Objects that were put in during the change: all others came out of the base, and hold no drafts. */
  private incoming: Set<unknown> | undefined;
  /** Drafts may stand among the items. */
  private hasDrafts = false;

  protected override face(): object {
    return listFace(this);
  }
  override isFor(base: unknown): boolean {
    return Array.isArray(base);
  }
  override restart(base: Branch): void {
    super.restart(base);
    this.kidList = this.kidIndexes = this.incoming = undefined;
    this.hasDrafts = false;
  }
  get size(): number {
    return (this.source as unknown[]).length;
  }
  begin(): number {
    alive(this, 'items');
    return this.size;
  }

  /** The draft that was handed out for an item. */
  kidOf(index: number): DraftNode | undefined {
    return this.kid !== undefined && this.kidIndex === index ? this.kid : this.kidList?.[index];
  }
  protected override kidAt(key: string): DraftNode | undefined {
    return this.kidOf(Number(key));
  }
  override dropKid(key: string): void {
    const index = Number(key);
    if (this.kidIndex === index) this.kid = undefined;
    if (this.kidList) this.kidList[index] = undefined;
  }

  override part(key: string): unknown {
    const value = (this.source as unknown as Record<string, unknown>)[key];
    // The only other object under a name is what it inherits from.
    if (typeof value === 'object' && value !== null)
      return isDigit(key) ? this.wrapItem(Number(key), value) : undefined;
    return typeof value === 'function' ? inheritedOrOwn(this.source as Container, key) : value;
  }

  item(index: number): unknown {
    const value = (this.source as unknown[])[index];
    return typeof value === 'object' && value !== null ? this.wrapItem(index, value) : value;
  }

  private wrapItem(index: number, value: object): unknown {
    const known = this.kidOf(index);
    if (known?.base === value) return known.proxy;
    const kid = this.below(value, index);
    if (kid === undefined) return value;
    if (this.kid === undefined || this.kidIndex === index) {
      this.kid = kid;
      this.kidIndex = index;
    } else {
      (this.kidList ??= [])[index] = kid;
      (this.kidIndexes ??= []).push(index);
    }
    return kid.proxy;
  }

  protected override isNew(value: object, key?: string | number): boolean {
    if (this.fresh) return true;
    if (!this.copy || (this.base as unknown[])[key as number] === value) return false;
    return !this.moved || this.incoming?.has(value) === true;
  }

  protected override write(key: string, value: unknown): void {
    (this.edit() as unknown[])[Number(key)] = value;
    this.putIn(value);
  }

  /** Notes a value that comes into the list. */
  putIn(value: unknown): void {
    if (typeof value !== 'object' || value === null) return;
    if (nodeOf(value)) this.hasDrafts = true;
    else (this.incoming ??= new Set()).add(value);
  }

  /** Before items move: handed-out drafts go into their slots and travel with them. */
  settle(): unknown[] {
    const copy = this.edit() as unknown[];
    if (this.kid) copy[this.kidIndex] = this.kid.proxy;
    if (this.kid || this.kidIndexes) this.hasDrafts = true;
    for (const index of this.kidIndexes ?? []) {
      const kid = this.kidList![index];
      if (kid) copy[index] = kid.proxy;
    }
    this.kid = this.kidList = this.kidIndexes = undefined;
    this.moved = true;
    return copy;
  }

  /** A draft for a value that has left its slot. */
  loose(value: unknown): unknown {
    return typeof value === 'object' && value !== null ? (this.below(value)?.proxy ?? value) : value;
  }

  protected override foldKids(): void {
    if (this.kid) this.foldItem(this.kidIndex, this.kid);
    for (const index of this.kidIndexes ?? []) {
      const kid = this.kidList![index];
      if (kid) this.foldItem(index, kid);
    }
  }
  private foldItem(index: number, kid: DraftNode): void {
    // Most were only looked at: no text is made of their index.
    if (kid.changed || kid.fresh) this.foldKid(String(index), kid);
  }

  protected override foldFresh(): Branch {
    if (this.kid) this.foldFreshKid(String(this.kidIndex), this.kid);
    for (const index of this.kidIndexes ?? []) {
      const kid = this.kidList![index];
      if (kid) this.foldFreshKid(String(index), kid);
    }
    return withoutDrafts(this.source) as Branch;
  }

  protected override foldKnown(): Branch {
    if (!this.moved) return super.foldKnown();
    this.foldKids();
    const items = this.copy as unknown[];
    const base = this.base as unknown[];
    const { incoming } = this;
    // What came out of the base is as it was, unless it was handed out.
    if (this.hasDrafts || (incoming !== undefined && incoming.size > FEW_NEW))
      for (let i = 0; i < items.length; i++) {
        const item = items[i];
        if (typeof item !== 'object' || item === null) continue;
        if (incoming?.has(item) === true) items[i] = settledItem(base, item, i, items.length);
        else if (nodeOf(item)) items[i] = withoutDrafts(item);
      }
    else if (incoming)
      for (const item of incoming)
        for (let i = items.indexOf(item); i >= 0; i = items.indexOf(item, i + 1))
          items[i] = settledItem(base, item, i, items.length);
    return sameData(base, items) ? base : items;
  }
}

/** A new item; the one that stood there, from the front or from the end, where it is the same data. */
function settledItem(base: readonly unknown[], item: unknown, index: number, length: number): unknown {
  if (length === base.length) return settledPart(base[index], item);
  const final = withoutDrafts(item);
  const old = [base[index], base[index + base.length - length]].find((one) => sameData(one, final));
  return old ?? final;
}
