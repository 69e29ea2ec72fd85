// The node of an object in a change, and what all nodes have in common.
import { dataTooDeep, draftEnded, notPlain } from '../base/errors.js';
import { KEYED, isKeyed } from '../data/keyed.js';
import {
  escapeKey,
  hasOwn,
  inheritedOrOwn,
  isContainer,
  MOST_NESTED,
  pointerTo,
  put,
  same,
  shallowCopy,
  type Branch,
  type Container,
} from '../data/plain.js';
import { nodeOf, objectFace } from './draft-faces.js';
import type { Editing } from './editing.js';
import { AFTER, settledPart, withoutDrafts } from './settling.js';

/**
 * A place of the state during a change: an object here; lists and tables differ in how they reach their parts. Larger than other
 * classes: every draft is one object, not several, since a change may make thousands.
 */
export class DraftNode {
  copy: Branch | undefined;
  changed = false;
  /** The draft handed out for a part of this container that is still in its place; mostly there is one. */
  protected kid: DraftNode | undefined;
  protected kidKey = '';
  /** The others, if there are more. */
  protected kids: Map<string, DraftNode> | undefined;
  /** A key that was assigned or deleted; mostly it is the only one. */
  private key: string | undefined;
  /** All of them, once there are more; none twice. */
  private moreKeys: string[] | undefined;
  /** The same keys, once they are many. */
  private manyKeys: Set<string> | undefined;
  /** Items moved about: every slot has to be looked at. */
  moved = false;
  folding = false;
  result: Branch | undefined;
  readonly proxy: object;
  /** The draft of the same change that was edited before this one. */
  editedBefore: DraftNode | undefined;
  /** The change that it belongs to. */
  serial: number;
  /** How many levels down it stands. */
  private readonly depth: number;
  constructor(
    public base: Branch,
    readonly parent: DraftNode | undefined,
    readonly editing: Editing,
    /** The container is new to the state: drafts may stand anywhere inside it. */
    readonly fresh: boolean,
  ) {
    this.depth = parent === undefined ? 0 : parent.depth + 1;
    if (this.depth > MOST_NESTED) throw dataTooDeep(AFTER, parent!.way, MOST_NESTED);
    this.proxy = this.face();
    this.serial = editing.serial;
  }

  has(key: PropertyKey): boolean {
    return key in this.source;
  }
  allKeys(): (string | symbol)[] {
    this.editing.copied(this.base);
    return Reflect.ownKeys(this.source);
  }

  /** What the change gets to see. */
  protected face(): object {
    return objectFace(this);
  }

  /** The JSON Pointer to this place, where it stands in its parent. */
  private get way(): string {
    const keys: string[] = [];
    for (let node: DraftNode = this; node.parent; node = node.parent) {
      const { parent } = node;
      const key = Object.keys(parent.source).find((one) => {
        const part = (parent.source as Record<string, unknown>)[one];
        return part === node.base || part === node.proxy;
      });
      keys.unshift(key ?? '?');
    }
    return pointerTo(keys);
  }

  /** What a part that was there before has become; nothing where it is what it was. */
  get became(): Branch | undefined {
    return this.fresh || this.result === this.base ? undefined : this.result;
  }

  /** Whether `restart` may be called with this state. */
  isFor(base: unknown): boolean {
    return this.madeOf(base) || (isContainer(base) && !Array.isArray(base));
  }
  /** Whether this is what the last change made. */
  protected madeOf(base: unknown): boolean {
    return this.result !== undefined && base === this.result;
  }

  /** Forgets the last change, and drafts another state. */
  restart(base: Branch): void {
    this.base = base;
    this.serial = this.editing.serial;
    this.copy = this.kid = this.kids = this.key = this.moreKeys = this.manyKeys = this.result = undefined;
    this.changed = this.moved = this.folding = false;
  }

  /** Keys that were assigned or deleted. */
  get keys(): readonly string[] | undefined {
    return this.moreKeys ?? (this.key === undefined ? undefined : [this.key]);
  }

  /** Notes that a key was assigned or deleted. */
  touchKey(key: string): void {
    const { moreKeys } = this;
    if (this.key === undefined) this.key = key;
    else if (moreKeys === undefined) {
      if (key !== this.key) this.moreKeys = [this.key, key];
    } else if (this.manyKeys) {
      if (this.manyKeys.size !== this.manyKeys.add(key).size) moreKeys.push(key);
    } else if (!moreKeys.includes(key) && moreKeys.push(key) > 16) this.manyKeys = new Set(moreKeys);
  }

  protected kidAt(key: string): DraftNode | undefined {
    return this.kid !== undefined && this.kidKey === key ? this.kid : this.kids?.get(key);
  }
  protected addKid(key: string, kid: DraftNode): void {
    if (this.kid === undefined || this.kidKey === key) {
      this.kid = kid;
      this.kidKey = key;
    } else (this.kids ??= new Map()).set(key, kid);
  }
  dropKid(key: string): void {
    if (this.kidKey === key) this.kid = undefined;
    this.kids?.delete(key);
  }

  get source(): Branch {
    return this.copy ?? this.base;
  }

  part(key: string): unknown {
    const source = this.source as Container;
    const value = (source as Record<string, unknown>)[key];
    if (typeof value === 'object')
      return value === null ? value : hasOwn(source, key) ? this.wrap(key, value) : undefined;
    return typeof value === 'function' ? inheritedOrOwn(source, key) : value;
  }

  protected wrap(key: string, value: object): unknown {
    const known = this.kidAt(key);
    if (known?.base === value) return known.proxy;
    const kid = this.below(value, key);
    if (kid === undefined) return value;
    this.addKid(key, kid);
    return kid.proxy;
  }

  /** The node of a part; none for a leaf value, and for what is a draft already. */
  protected below(value: object, key?: string | number): DraftNode | undefined {
    // What came out of the state has no drafts in it.
    if ((this.copy !== undefined || this.fresh) && nodeOf(value)) return undefined;
    if (isContainer(value)) return this.editing.nodeFor(value, this, this.isNew(value, key));
    return isKeyed(value)
      ? (value[KEYED].node(value, this, this.editing, this.isNew(value, key)) as DraftNode)
      : undefined;
  }

  /** Whether a part came into this container during the change. */
  protected isNew(value: object, key?: string | number): boolean {
    return this.fresh || (this.copy !== undefined && (this.base as Record<string, unknown>)[key!] !== value);
  }

  edit(): Branch {
    for (let node: DraftNode | undefined = this; node && !node.changed; node = node.parent) {
      node.changed = true;
      this.editing.note(node);
    }
    return (this.copy ??= this.copied());
  }

  /** Puts a part into the copy. */
  protected write(key: string, value: unknown): void {
    put(this.edit(), key, value);
  }

  /** A copy of the base that may be edited. */
  protected copied(): Branch {
    return shallowCopy(this.base as Container);
  }

  assign(key: string, value: unknown): void {
    const { source } = this;
    const old = (source as Record<string, unknown>)[key];
    const inner = nodeOf(value);
    if (inner && (inner.editing !== this.editing || inner.serial !== this.serial)) throw draftEnded(key);
    const kid = this.kidAt(key);
    if (
      inner
        ? inner === kid || value === old
        : !kid?.changed && same(old, value) && (old !== undefined || hasOwn(source, key))
    )
      return;
    this.write(key, value);
    this.touchKey(key);
    if (kid) this.dropKid(key);
  }

  remove(key: string): void {
    if (!hasOwn(this.source, key)) return;
    delete (this.edit() as Record<string, unknown>)[key];
    this.touchKey(key);
    this.dropKid(key);
  }

  /** The next value of this place. */
  fold(): Branch {
    if (this.result) return this.result;
    if (!this.changed && !this.fresh) return (this.result = this.base);
    if (this.folding) throw notPlain(AFTER, this.way, 'cycle');
    this.folding = true;
    return (this.result = this.fresh ? this.foldFresh() : this.foldKnown());
  }

  protected foldFresh(): Branch {
    if (this.kid) this.foldFreshKid(this.kidKey, this.kid);
    if (this.kids) for (const [key, kid] of this.kids) this.foldFreshKid(key, kid);
    return withoutDrafts(this.source) as Branch;
  }

  protected foldFreshKid(key: string, kid: DraftNode): void {
    const value = kid.fold();
    if (value !== kid.base) put((this.copy ??= this.copied()), key, value);
  }

  /** Puts the final value of a part in its place. */
  protected foldKid(key: string, kid: DraftNode): void {
    if (!kid.changed && !kid.fresh) return;
    const value = kid.fold();
    if (value === kid.base) return;
    this.write(key, value);
    // The key of what is new was touched when it came in.
    if (!kid.fresh) this.touchKey(key);
  }

  /** The same for all parts that were handed out. */
  protected foldKids(): void {
    if (this.kid) this.foldKid(this.kidKey, this.kid);
    if (this.kids) for (const [key, kid] of this.kids) this.foldKid(key, kid);
  }

  protected foldKnown(): Branch {
    // What only parts that were handed out have become is in its place when they are folded.
    const direct = this.key !== undefined;
    this.foldKids();
    const { copy } = this;
    return !copy || (direct && !this.settleKeys(copy)) ? this.base : copy;
  }

  /** Puts the final values of all touched keys in their places, and forgets those that came to nothing. */
  private settleKeys(copy: Branch): boolean {
    const { key, moreKeys } = this;
    if (moreKeys === undefined) {
      if (this.settleKey(copy, key!)) return true;
      this.key = undefined;
      return false;
    }
    let kept = 0;
    for (const one of moreKeys) if (this.settleKey(copy, one)) moreKeys[kept++] = one;
    moreKeys.length = kept;
    return kept > 0;
  }

  /** Puts the final value of a touched key in its place; false when it is what it was before. */
  private settleKey(next: Branch, key: string): boolean {
    const kid = this.kidAt(key);
    if (kid && !kid.fresh) return kid.fold() !== kid.base;
    const base = this.base as Record<string, unknown>;
    const copy = next as Record<string, unknown>;
    const value = copy[key];
    // A primitive that is there stands as it is; the rest is for absent keys and for containers.
    if (typeof value !== 'object' && value !== undefined) return !Object.is(base[key], value);
    const had = hasOwn(base, key);
    if (!hasOwn(copy, key)) return had;
    const at = (): string => `${this.way}/${escapeKey(key)}`;
    const settled = had ? settledPart(base[key], value, at) : withoutDrafts(value, undefined, at);
    put(copy, key, settled);
    return !had || settled !== base[key];
  }
}
