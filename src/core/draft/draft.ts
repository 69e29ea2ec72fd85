// Copy-on-write drafts. A change sees ordinary mutable data; underneath, every container that it reaches is one node,
// which copies its container at the first edit. When the change has ended, the nodes are folded into the next state:
// what was not edited keeps its identity.
//
// The rules that make the corners come out right:
// - A node belongs to a place, not to an object: one object that stands at two places of the state is two values.
// - Within a change, a draft that is put elsewhere stays the same mutable thing, as a plain object would.
// - New data put into the state is never edited in place: it may be the payload, which belongs to the history.
// - A draft works only while its change runs.
import { KnownTouches, type Touch, type Touches } from '../data/touches.js';
import { alive, listFace, nodeOf, objectFace } from './draft-faces.js';
import { dataTooDeep, draftEnded, notPlain } from '../base/errors.js';
import { isDigit, type Listing } from '../data/list-reads.js';
import { KEYED, isKeyed } from '../data/keyed.js';
import {
  escapeKey,
  hasOwn,
  inheritedOrOwn,
  isContainer,
  isMap,
  isSet,
  MOST_NESTED,
  pointerTo,
  put,
  replaceEntries,
  replaceParts,
  same,
  sameData,
  shallowCopy,
  type Branch,
  type Container,
} from '../data/plain.js';

/** As many drafts are gone through, more are found by what they became. */
const FEW = 16;

/**
 * One change of one store: its drafts, and what came of it. A production build uses the same one for all changes of a
 * store in a runtime, with the same root draft: making a proxy costs more than a small change. All other drafts are new
 * in each change, so that a leaked draft reaches at most the root of its own store in a later change; in a development build the
 * root is new too, and a leaked draft is an error.
 */
export class Editing implements Touches {
  /** Another number for each change; 0 when none runs. A draft knows the number of its own. */
  serial = 0;
  private runs = 0;
  /** The draft that was edited last; each knows the one before. */
  last: DraftNode | undefined;
  /** How many were edited, and what they became once that is asked for and they are many. */
  private edits = 0;
  private results: KnownTouches | undefined;
  /** What the change may have made copies of. */
  private copies: Set<object> | undefined;
  private root: DraftNode | undefined;
  /** A state without parts, which can only be replaced. */
  private leaf: unknown;
  /** What the change returned, with no draft left in it; `undefined` when it returned nothing or the draft itself. */
  returned: unknown;
  /** Whether the draft was edited at all, even to no effect. */
  edited = false;

  /**
   * Runs a change on a draft of `base` and folds the result; the caller judges what was returned.
   * A `base` that is not a container is handed over as it is, and can only be replaced by returning another value.
   */
  run(base: unknown, change: (draft: never, payload: never) => unknown, payload: unknown): void {
    this.serial = ++this.runs;
    this.last = this.results = this.copies = undefined;
    this.edits = 0;
    try {
      const root = this.rootFor(base);
      if (root === undefined) {
        this.returned = withoutDrafts(change(base as never, payload as never));
        this.leaf = base;
        this.edited = false;
        return;
      }
      const returned = change(root.proxy as never, payload as never);
      root.fold();
      this.edited = root.changed;
      this.returned = returned === undefined || returned === root.proxy ? undefined : withoutDrafts(returned);
    } finally {
      this.serial = 0;
    }
  }

  /** The state that the edits lead to. */
  get next(): unknown {
    return this.root === undefined ? this.leaf : this.root.result;
  }

  private rootFor(base: unknown): DraftNode | undefined {
    const { root } = this;
    if (root?.isFor(base)) {
      root.restart(base as Branch);
      return root;
    }
    return (this.root = isContainer(base)
      ? nodeFor(base, undefined, this, false)
      : isKeyed(base)
        ? (base[KEYED].node(base, undefined, this, false) as DraftNode)
        : undefined);
  }

  /** Notes that a draft is edited. */
  note(node: DraftNode): void {
    node.editedBefore = this.last;
    this.last = node;
    this.edits++;
  }

  get(after: unknown): Touch | undefined {
    // A draft that was only looked at came to nothing yet, and what is gone is nothing too.
    if (after === undefined) return undefined;
    if (this.edits > FEW) return (this.results ??= this.remember(new KnownTouches())).get(after);
    for (let node = this.last; node; node = node.editedBefore) if (node.became === after) return node;
    return undefined;
  }

  /** Notes that all keys of an object were asked for. */
  copied(before: object): void {
    (this.copies ??= new Set()).add(before);
  }
  wasCopied(before: object): boolean | undefined {
    return this.last ? (this.copies?.has(before) ?? false) : undefined;
  }

  *each(): Iterable<object> {
    for (let node = this.last; node; node = node.editedBefore) if (node.became) yield node.became;
  }

  /** What is known now, for when this goes on to another change. */
  remember(into: KnownTouches): KnownTouches {
    if (this.last) into.note(this.copies ?? []);
    for (let node = this.last; node; node = node.editedBefore) {
      const { became, base, keys, moved } = node;
      if (became) into.set(became, { base, keys, moved });
    }
    return into;
  }
}

/** A place of the state during a change: an object here; lists and tables differ in how they reach their parts. */
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
    if (isContainer(value)) return nodeFor(value, this, this.editing, this.isNew(value, key));
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

  private kidOf(index: number): DraftNode | undefined {
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

  /** Looks for an item, as the method of arrays does: an object or its draft, whichever stands there. */
  placeOf(method: 'includes' | 'indexOf' | 'lastIndexOf', [item, ...from]: [unknown, number?]): unknown {
    const node = nodeOf(item);
    const items = (this.source as unknown[]).map((one, i) => {
      const inner = nodeOf(one) ?? this.kidOf(i);
      // A draft and the object that it is a draft of are the same item.
      if (inner && (inner === node || inner.base === item)) return item;
      return one;
    });
    return (items[method] as (...args: unknown[]) => unknown)(item, ...from);
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
        if (incoming?.has(item) === true) items[i] = this.settledItem(base, item, i, items.length);
        else if (nodeOf(item)) items[i] = withoutDrafts(item);
      }
    else if (incoming)
      for (const item of incoming)
        for (let i = items.indexOf(item); i >= 0; i = items.indexOf(item, i + 1))
          items[i] = this.settledItem(base, item, i, items.length);
    return sameData(base, items) ? base : items;
  }

  /** A new item; the one that stood there, from the front or from the end, where it is the same data. */
  private settledItem(base: readonly unknown[], item: unknown, index: number, length: number): unknown {
    if (length === base.length) return settledPart(base[index], item);
    const final = withoutDrafts(item);
    const old = [base[index], base[index + base.length - length]].find((one) => sameData(one, final));
    return old ?? final;
  }

  copyWithin(args: [number, number, number?]): void {
    const items = this.settle();
    const before = [...items];
    items.copyWithin(...args);
    // An object at two places is two values, also where one of them was handed out.
    for (const [i, item] of items.entries()) {
      if (item === before[i] || !nodeOf(item)) continue;
      items[i] = valueNow(item);
      this.putIn(items[i]);
    }
  }
}

/** So many new items are looked for one by one; more of them, by going through all items. */
const FEW_NEW = 8;

/** Parts of longer new lists are not looked for in the lists that they replace. */
const LONG = 1000;

/**
 * New data in the place of other data, without drafts. What is the same data stays the same object, so that nothing is
 * notified of it.
 * @param at the JSON Pointer to it, for a message
 */
function settledPart(before: unknown, value: unknown, at?: () => string): unknown {
  const isPartwise = isContainer(before) && isContainer(value) && !nodeOf(value);
  const handed = isPartwise ? draftsIn(value) : [];
  const after = withoutDrafts(value, undefined, at);
  if (sameData(before, after)) return before;
  return isPartwise ? keptParts(before, after, new Set(Array.from(handed, (node) => node.fold()))) : after;
}

/** The drafts in new data. Without recursion: how deep the data may be is not checked yet. */
function draftsIn(value: object): Set<DraftNode> {
  const found = new Set<DraftNode>();
  const seen = new Set([value]);
  // The set grows while the loop goes through it.
  for (const container of seen) {
    if (Array.isArray(container) && container.length > LONG) continue;
    for (const part of Object.values(container) as unknown[]) {
      if (typeof part !== 'object' || part === null) continue;
      const node = nodeOf(part);
      if (node) found.add(node);
      else if (isContainer(part)) seen.add(part);
    }
  }
  return found;
}

/** @param handed objects of the state, and what became of them: these stay what they are */
function keptParts(before: unknown, after: unknown, handed: ReadonlySet<unknown>): unknown {
  if (sameData(before, after)) return before;
  if (!isContainer(before) || !isContainer(after) || handed.has(after)) return after;
  if (Array.isArray(before) !== Array.isArray(after)) return after;
  if (Array.isArray(after) && (after.length > LONG || after.length !== (before as unknown[]).length)) return after;
  let result: Container = after;
  for (const key of Object.keys(after)) {
    const part = (after as Record<string, unknown>)[key];
    if (typeof part !== 'object' || part === null || !hasOwn(before, key)) continue;
    const kept = keptParts((before as Record<string, unknown>)[key], part, handed);
    if (kept === part) continue;
    if (result === after) result = shallowCopy(after);
    put(result, key, kept);
  }
  return result;
}

/** What a draft holds now, as a value of its own. */
function valueNow(value: unknown): unknown {
  const node = nodeOf(value);
  if (!node) return value;
  if (!node.changed && !node.fresh) return node.base;
  const { proxy } = node;
  if (Array.isArray(node.base)) return Array.from(proxy as unknown[], valueNow);
  if (!isContainer(node.base)) return value;
  const result = {};
  for (const key of Object.keys(proxy)) put(result, key, valueNow((proxy as Record<string, unknown>)[key]));
  return result;
}

/** The node of an object or a list. */
const nodeFor = (base: Container, parent: DraftNode | undefined, editing: Editing, fresh: boolean): DraftNode =>
  Array.isArray(base) ? new ListNode(base, parent, editing, fresh) : new DraftNode(base, parent, editing, fresh);

/** New data with every draft in it replaced by what the draft became. Data without drafts is returned as it is. */
/** @param at the JSON Pointer to the value, for a message */
export function withoutDrafts(value: unknown, above?: Set<object>, at = (): string => ''): unknown {
  if (typeof value !== 'object' || value === null) return value;
  const node = nodeOf(value);
  if (node) {
    alive(node, 'value');
    return node.fold();
  }
  if (isKeyed(value)) return value[KEYED].resolved(value, (row) => withoutDrafts(row, above, at));
  const isEntries = isMap(value) || isSet(value);
  if (!isEntries && !isContainer(value)) return value;
  if (above?.has(value)) throw notPlain(AFTER, at() + pathThrough([...above, value]), 'cycle', value);
  if (above && above.size > MOST_NESTED) throw dataTooDeep(AFTER, at() + pathThrough([...above]), MOST_NESTED);
  const inside = (part: unknown): unknown => withoutDrafts(part, (above ??= new Set()).add(value), at);
  const result = isEntries ? replaceEntries(value, inside) : replaceParts(value, inside);
  above?.delete(value);
  return result;
}

const AFTER = 'The state after this change';

/** The JSON Pointer along containers of which each holds the next. */
function pathThrough(way: readonly object[]): string {
  const keys: (string | number)[] = [];
  for (const [i, next] of way.slice(1).entries()) keys.push(keyOf(way[i], next));
  return pointerTo(keys);
}

function keyOf(holder: object, part: object): string | number {
  const parts: Iterable<readonly [unknown, unknown]> = isMap(holder)
    ? holder
    : isSet(holder)
      ? Array.from(holder, (one, i) => [i, one] as const)
      : Object.entries(holder);
  for (const [key, value] of parts) if (value === part || key === part) return String(key);
  return '?';
}
