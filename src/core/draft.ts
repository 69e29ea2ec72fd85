// Copy-on-write drafts. A change sees ordinary mutable data; underneath, every container that it reaches is one node,
// which copies its container at the first edit. When the change has ended, the nodes are folded into the next state:
// what was not edited keeps its identity.
//
// The rules that make the corners come out right:
// - A node belongs to a place, not to an object: one object that stands at two places of the state is two values.
// - Within a change, a draft that is put elsewhere stays the same mutable thing, as a plain object would.
// - New data put into the state is never edited in place: it may be the payload, which belongs to the history.
// - A draft works only while its change runs.
import type { Touch, Touches } from './diff.js';
import { draftEnded, draftMisuse, notPlain } from './errors.js';
import { KEYED, isKeyed, type DRAFTED } from './keyed.js';
import {
  NODE,
  hasOwn,
  inheritedOrOwn,
  isBranch,
  isContainer,
  put,
  replaceParts,
  same,
  sameData,
  shallowCopy,
  type Branch,
  type Container,
} from './plain.js';

/**
 * The type of a draft: properties can be assigned even where the state declares them `readonly`, as far down as the data
 * goes. An array declared `readonly` keeps that, so that a value and its draft are assignable to each other: declare
 * `Visit[]` to push, or assign a new array.
 */
export type Draft<S> = S extends string | number | boolean | bigint | null | undefined | Date
  ? S
  : S extends { readonly [DRAFTED]: infer D }
    ? D
    : S extends ReadonlyMap<infer _K, infer _V> | ReadonlySet<infer _T>
      ? S
      : S extends readonly unknown[]
        ? { [K in keyof S]: Draft<S[K]> }
        : S extends object
          ? { -readonly [K in keyof S]: Draft<S[K]> }
          : S;

/**
 * One change of one store: its drafts, and what came of it. A production build uses the same one for all changes of a
 * store in a runtime, with the same root draft: making a proxy costs more than a small change. All other drafts are made
 * anew, so the only thing that a leaked draft can ever reach is the root of its own store in a later change; a development
 * build makes that one anew too, and has long shown the leak as an error.
 */
export class Editing implements Touches {
  /** Another number for each change; 0 when none runs. A draft knows the number of its own. */
  serial = 0;
  private runs = 0;
  nodes: DraftNode[] = [];
  private root: DraftNode | undefined;
  /** The state that the edits lead to. */
  next: unknown;
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
    try {
      // What the last change made is a container, if its base was one.
      if ((base !== this.next || this.root === undefined) && !isBranch(base)) {
        this.returned = withoutDrafts(change(base as never, payload as never));
        this.next = base;
        this.edited = false;
        return;
      }
      const root = this.rootFor(base as Branch);
      const returned = change(root.proxy as never, payload as never);
      this.next = root.fold();
      this.edited = root.changed;
      this.returned = returned === undefined || returned === root.proxy ? undefined : withoutDrafts(returned);
    } finally {
      this.serial = 0;
    }
  }

  private rootFor(base: Branch): DraftNode {
    const { root } = this;
    if (root !== undefined && isContainer(base) && Array.isArray(base) === Array.isArray(root.base)) {
      root.restart(base);
      if (this.nodes.length > 1) this.nodes = [root];
      return root;
    }
    this.nodes = [];
    if (isKeyed(base)) return base[KEYED].node(base, undefined, this, false);
    return (this.root = new DraftNode(base, undefined, this, false));
  }

  get(after: unknown): Touch | undefined {
    // A draft that was only looked at came to nothing yet, and what is gone is nothing too.
    if (after === undefined) return undefined;
    for (const node of this.nodes) if (node.result === after && !node.fresh && node.result !== node.base) return node;
    return undefined;
  }

  /** What is known now, for when this goes on to another change. */
  remember(into: Map<unknown, Touch>): void {
    for (const { result, base, fresh, keys, moved } of this.nodes) {
      if (result && result !== base && !fresh) into.set(result, { base, keys, moved });
    }
  }
}

/** A place of the state during a change; the nodes of tables differ in how they reach their parts. */
export class DraftNode {
  copy: Branch | undefined;
  changed = false;
  /** The draft handed out for a part of this container that is still in its place; mostly there is one. */
  protected kid: DraftNode | undefined;
  protected kidKey = '';
  /** The others, if there are more. */
  protected kids: Map<string, DraftNode> | undefined;
  /** Keys that were assigned or deleted; none twice. */
  keys: string[] | undefined;
  /** The same keys, once they are many. */
  private manyKeys: Set<string> | undefined;
  /** Items moved about: every slot has to be looked at. */
  moved = false;
  /** The items before anything moved; made when first asked for. */
  protected items: Set<unknown> | undefined;
  folding = false;
  result: Branch | undefined;
  readonly proxy: object;
  /** The change that it belongs to. */
  serial: number;
  constructor(
    public base: Branch,
    readonly parent: DraftNode | undefined,
    readonly editing: Editing,
    /** The container is new to the state: drafts may stand anywhere inside it. */
    readonly fresh: boolean,
  ) {
    this.proxy = this.face();
    this.serial = editing.serial;
    editing.nodes.push(this);
  }

  /** What the change gets to see. */
  protected face(): object {
    return Array.isArray(this.base) ? new Proxy(arrayTarget(this), arrayTraps) : new Proxy(this, objectTraps);
  }

  /** Begins anew with another state. */
  restart(base: Branch): void {
    this.base = base;
    this.serial = this.editing.serial;
    this.copy = this.kid = this.kids = this.keys = this.manyKeys = this.items = this.result = undefined;
    this.changed = this.moved = this.folding = false;
  }

  /** Notes that a key was assigned or deleted. */
  touchKey(key: string): void {
    const { keys } = this;
    if (keys === undefined) this.keys = [key];
    else if (this.manyKeys) {
      if (this.manyKeys.size !== this.manyKeys.add(key).size) keys.push(key);
    } else if (!keys.includes(key) && keys.push(key) > 16) this.manyKeys = new Set(keys);
  }

  protected kidAt(key: string): DraftNode | undefined {
    return this.kid !== undefined && this.kidKey === key ? this.kid : this.kids?.get(key);
  }
  private addKid(key: string, kid: DraftNode): void {
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

  wrap(key: string, value: object): unknown {
    if ((value as { [NODE]?: DraftNode })[NODE] || !isBranch(value)) return value;
    const known = this.kidAt(key);
    if (known?.base === value) return known.proxy;
    const kid = this.below(value, this.isNew(value, key));
    this.addKid(key, kid);
    return kid.proxy;
  }

  private below(value: Branch, fresh: boolean): DraftNode {
    return isContainer(value)
      ? new DraftNode(value, this, this.editing, fresh)
      : value[KEYED].node(value, this, this.editing, fresh);
  }

  /** Whether a part came into this container during the change. */
  protected isNew(value: object, key?: string): boolean {
    if (this.fresh) return true;
    if (!this.copy) return false;
    if (key !== undefined && (this.base as Record<string, unknown>)[key] === value) return false;
    return !this.moved || !(this.items ??= new Set(this.base as unknown[])).has(value);
  }

  edit(): Branch {
    for (let node: DraftNode | undefined = this; node && !node.changed; node = node.parent) node.changed = true;
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

  /** Before items move: handed-out drafts go into their slots and travel with them. */
  settle(): unknown[] {
    const copy = this.edit() as unknown[];
    if (this.kid) copy[Number(this.kidKey)] = this.kid.proxy;
    if (this.kids) for (const [key, kid] of this.kids) copy[Number(key)] = kid.proxy;
    this.kid = this.kids = undefined;
    this.moved = true;
    return copy;
  }

  /** A draft for a value that has left its slot. */
  loose(value: unknown): unknown {
    if (!isBranch(value) || nodeOf(value)) return value;
    return this.below(value, this.isNew(value)).proxy;
  }

  /** The next value of this place. */
  fold(): Branch {
    if (this.result) return this.result;
    if (!this.changed && !this.fresh) return (this.result = this.base);
    if (this.folding) throw notPlain('The state after this change', '', 'cycle');
    this.folding = true;
    this.result = this.fresh ? this.foldFresh() : this.foldKnown();
    this.folding = false;
    return this.result;
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

  /** Puts the final value of a part in its place; whether that is certainly another one than before. */
  protected foldKid(key: string, kid: DraftNode): boolean {
    if (!kid.changed && !kid.fresh) return false;
    const value = kid.fold();
    if (value === kid.base) return false;
    this.write(key, value);
    if (kid.fresh) return false;
    this.touchKey(key);
    return true;
  }

  /** The same for all parts that were handed out. */
  protected foldKids(): boolean {
    let differs = this.kid !== undefined && this.foldKid(this.kidKey, this.kid);
    if (this.kids) for (const [key, kid] of this.kids) differs = this.foldKid(key, kid) || differs;
    return differs;
  }

  protected foldKnown(): Branch {
    const base = this.base as Record<string, unknown>;
    let differs = this.foldKids();
    const copy = this.copy as Record<string, unknown> | undefined;
    if (!copy) return this.base;
    if (this.moved) {
      const items = copy as unknown as unknown[];
      for (let i = 0; i < items.length; i++) items[i] = withoutDrafts(items[i]);
      return sameData(base, copy) ? this.base : items;
    }
    const { keys } = this;
    let kept = 0;
    for (let i = 0; keys && i < keys.length; i++) {
      const key = keys[i];
      const kid = this.kidAt(key);
      if (!(kid && !kid.fresh) && !this.settleKey(base, copy, key)) continue;
      differs = true;
      keys[kept++] = key;
    }
    if (keys && kept < keys.length) keys.length = kept;
    return differs ? copy : this.base;
  }

  /** Puts the final value of a touched key in its place; false when it is what it was before. */
  private settleKey(base: Record<string, unknown>, copy: Record<string, unknown>, key: string): boolean {
    const value = copy[key];
    // A primitive that is there stands as it is; the rest is for absent keys and for containers.
    if (typeof value !== 'object' && value !== undefined) return !Object.is(base[key], value);
    const had = hasOwn(base, key);
    if (!hasOwn(copy, key)) return had;
    const final = withoutDrafts(value);
    const unchanged = had && sameData(base[key], final);
    put(copy, key, unchanged ? base[key] : final);
    return !unchanged;
  }
}

export const nodeOf = (value: unknown): DraftNode | undefined =>
  typeof value === 'object' && value !== null ? (value as { [NODE]?: DraftNode })[NODE] : undefined;

/** New data with every draft in it replaced by what the draft became. Data without drafts is returned as it is. */
export function withoutDrafts(value: unknown, above?: Set<object>): unknown {
  if (typeof value !== 'object' || value === null) return value;
  const node = nodeOf(value);
  if (node) {
    alive(node, 'value');
    return node.fold();
  }
  if (isKeyed(value)) return value[KEYED].resolved(value, (row) => withoutDrafts(row, above));
  if (!isContainer(value)) return value;
  if (above?.has(value)) throw notPlain('The state after this change', '', 'cycle');
  const result = replaceParts(value, (part) => withoutDrafts(part, (above ??= new Set()).add(value)));
  above?.delete(value);
  return result;
}

export function alive(node: DraftNode, key: PropertyKey): void {
  if (node.serial !== node.editing.serial) throw draftEnded(String(key));
}

// A proxy for an array needs an array as its target, or Array.isArray would not see one. The node rides along on it.
function arrayTarget(node: DraftNode): unknown[] {
  const target: unknown[] & { node?: DraftNode } = [];
  target.node = node;
  return target;
}
const nodeAt = (target: unknown[]): DraftNode => (target as unknown as { node: DraftNode }).node;

const refuse = (what: string, instead: string) => (): never => {
  throw draftMisuse(what, instead);
};

function describe(node: DraftNode, key: PropertyKey): PropertyDescriptor | undefined {
  alive(node, key);
  const found = Object.getOwnPropertyDescriptor(node.source, key);
  if (found && typeof key === 'string' && found.enumerable) {
    return { value: node.part(key), writable: true, enumerable: true, configurable: true };
  }
  return found && { ...found, writable: true };
}

const shared = {
  defineProperty: refuse('define a property with attributes', 'assign a value instead'),
  setPrototypeOf: refuse('change its prototype', 'state is plain data'),
  preventExtensions: refuse('be frozen', 'the state that it becomes is frozen in development anyway'),
};

const objectTraps: ProxyHandler<DraftNode> = {
  ...shared,
  get(node, key) {
    if (typeof key === 'symbol') return key === NODE ? node : (node.source as Record<symbol, unknown>)[key];
    alive(node, key);
    return node.part(key);
  },
  set(node, key, value) {
    alive(node, key);
    if (typeof key === 'symbol') throw notPlain('The state after this change', '', 'symbol key');
    node.assign(key, value);
    return true;
  },
  deleteProperty(node, key) {
    alive(node, key);
    node.remove(key as string);
    return true;
  },
  has(node, key) {
    alive(node, key);
    return key in node.source;
  },
  ownKeys(node) {
    alive(node, 'keys');
    return Reflect.ownKeys(node.source);
  },
  getOwnPropertyDescriptor: (node, key) => describe(node, key),
  getPrototypeOf: () => Object.prototype,
};

const INDEX = /^(?:0|[1-9][0-9]*)$/;

const arrayTraps: ProxyHandler<unknown[]> = {
  ...shared,
  get(target, key) {
    const node = nodeAt(target);
    if (typeof key === 'symbol') return key === NODE ? node : (node.source as unknown as Record<symbol, unknown>)[key];
    alive(node, key);
    return arrayEdits[key] ?? node.part(key);
  },
  set(target, key, value) {
    const node = nodeAt(target);
    alive(node, key);
    const { length } = node.source as unknown[];
    if (key === 'length') {
      const next = Number(value);
      if (next > length) throw notPlain('The state after this change', `/${length}`, 'hole');
      if (next < length) node.settle().length = next;
    } else if (typeof key !== 'string' || !INDEX.test(key)) {
      throw draftMisuse(`set '${String(key)}' on an array`, 'an array has only items; use an object for named parts');
    } else if (Number(key) > length) throw notPlain('The state after this change', `/${length}`, 'hole');
    else node.assign(key, value);
    return true;
  },
  deleteProperty: refuse('delete an item of an array', 'that would leave a hole; use splice'),
  has: (target, key) => key in nodeAt(target).source,
  ownKeys(target) {
    alive(nodeAt(target), 'keys');
    return Reflect.ownKeys(nodeAt(target).source);
  },
  getOwnPropertyDescriptor: (target, key) => describe(nodeAt(target), key),
};

type Comparator = (a: unknown, b: unknown) => number;

// The array methods that edit, on the copy itself instead of through a trap for every item.
const arrayEdits: Record<string, (this: unknown[], ...args: never[]) => unknown> = {
  __proto__: null as never,
  push(...items: unknown[]) {
    const node = editable(this);
    let { length } = node.source as unknown[];
    for (const item of items) node.assign(String(length++), item);
    return length;
  },
  pop() {
    const node = editable(this);
    const { length } = node.source as unknown[];
    if (length === 0) return undefined;
    const key = String(length - 1);
    const last = node.part(key);
    (node.edit() as unknown[]).pop();
    node.dropKid(key);
    node.touchKey(key);
    return last;
  },
  shift() {
    const node = editable(this);
    return node.loose(node.settle().shift());
  },
  unshift(...items: unknown[]) {
    return editable(this)
      .settle()
      .unshift(...items);
  },
  splice(...args: [number, number, ...unknown[]]) {
    const node = editable(this);
    return node
      .settle()
      .splice(...args)
      .map((item) => node.loose(item));
  },
  reverse() {
    editable(this).settle().reverse();
    return this;
  },
  sort(compare?: Comparator) {
    editable(this).settle().sort(compare);
    return this;
  },
  fill(...args: [unknown, number?, number?]) {
    editable(this)
      .settle()
      .fill(...args);
    return this;
  },
  copyWithin(...args: [number, number, number?]) {
    editable(this)
      .settle()
      .copyWithin(...args);
    return this;
  },
};

function editable(draft: unknown[]): DraftNode {
  const node = nodeOf(draft);
  if (!node) throw new TypeError('An array method of a draft was called on something else.');
  alive(node, 'items');
  return node;
}
