// What a change sees of a draft: proxies of objects and lists that turn reading and editing into questions to their nodes.
import type { ListNode } from './list-node.js';
import type { DraftNode } from './node.js';
import { valueNow } from './settling.js';
import { draftEnded, draftMisuse, notPlain } from '../base/errors.js';
import { isDigit, listReads } from '../data/list-reads.js';
import { DEV } from '../base/mode.js';
import { NODE } from '../data/plain.js';

/** The node behind a draft; nothing for all other values. */
export const nodeOf = (value: unknown): DraftNode | undefined =>
  typeof value === 'object' && value !== null ? (value as { [NODE]?: DraftNode })[NODE] : undefined;

export function alive(node: DraftNode, key: PropertyKey): void {
  if (node.serial !== node.editing.serial) throw draftEnded(String(key));
}

// A proxy's target is asked about each key that a trap names, so it has one only, which leads to the node. For a list it has to
// be an array, or Array.isArray would not see one.
export const objectFace = (node: DraftNode): object => new Proxy({ of: node }, objectTraps);
export const listFace = (node: ListNode): object => new Proxy([node], listTraps);

const refuse = (what: string, instead: string | false) => (): never => {
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
  defineProperty: refuse('define a property with attributes', DEV && 'assign a value instead'),
  setPrototypeOf: refuse('change its prototype', DEV && 'state is plain data'),
  preventExtensions: refuse('be frozen', DEV && 'the state that it becomes is frozen in development anyway'),
};

const objectTraps: ProxyHandler<{ readonly of: DraftNode }> = {
  ...shared,
  get({ of: node }, key) {
    if (typeof key === 'symbol') return key === NODE ? node : (node.source as Record<symbol, unknown>)[key];
    alive(node, key);
    return node.part(key);
  },
  set({ of: node }, key, value) {
    alive(node, key);
    if (typeof key === 'symbol') throw notPlain('The state after this change', '', 'symbol key');
    node.assign(key, value);
    return true;
  },
  deleteProperty({ of: node }, key) {
    alive(node, key);
    node.remove(key as string);
    return true;
  },
  has({ of: node }, key) {
    alive(node, key);
    return node.has(key);
  },
  ownKeys({ of: node }) {
    alive(node, 'keys');
    return node.allKeys();
  },
  getOwnPropertyDescriptor: ({ of: node }, key) => describe(node, key),
  getPrototypeOf: () => Object.prototype,
};

const INDEX = /^(?:0|[1-9][0-9]*)$/;

const listTraps: ProxyHandler<ListNode[]> = {
  ...shared,
  get(target, key) {
    const node = target[0];
    if (typeof key === 'symbol') {
      if (key === NODE) return node;
      return key === Symbol.iterator ? listMethods.values : (node.source as unknown as Record<symbol, unknown>)[key];
    }
    alive(node, key);
    return (isDigit(key) ? undefined : listMethods[key]) ?? node.part(key);
  },
  set(target, key, value) {
    const node = target[0];
    alive(node, key);
    const length = node.size;
    if (key === 'length') {
      const next = Number(value);
      // As with any array (ECMA-262, 10.4.2.4).
      if (next !== next >>> 0) throw new RangeError('Invalid array length');
      if (next > length) throw notPlain('The state after this change', `/${length}`, 'hole');
      if (next < length) node.settle().length = next;
    } else if (typeof key !== 'string' || !INDEX.test(key)) {
      throw draftMisuse(
        `set '${String(key)}' on an array`,
        DEV && 'an array has only items; use an object for named parts',
      );
    } else if (Number(key) > length) throw notPlain('The state after this change', `/${length}`, 'hole');
    else node.assign(key, value);
    return true;
  },
  deleteProperty: refuse('delete an item of an array', DEV && 'that would leave a hole; use splice'),
  has(target, key) {
    alive(target[0], key);
    return target[0].has(key);
  },
  ownKeys(target) {
    alive(target[0], 'keys');
    return target[0].allKeys();
  },
  getOwnPropertyDescriptor: (target, key) => describe(target[0], key),
};

type Comparator = (a: unknown, b: unknown) => number;

// The array methods that edit, on the copy itself instead of through a trap for every item; and those that go through all items.
const listMethods: Record<string, (this: unknown[], ...args: never[]) => unknown> = {
  __proto__: null as never,
  ...listReads,
  push(...items: unknown[]) {
    const node = listNode(this);
    let length = node.size;
    for (const item of items) node.assign(String(length++), item);
    return length;
  },
  pop() {
    const node = listNode(this);
    const length = node.size;
    if (length === 0) return undefined;
    const key = String(length - 1);
    const last = node.item(length - 1);
    (node.edit() as unknown[]).pop();
    node.dropKid(key);
    node.touchKey(key);
    return last;
  },
  shift() {
    const node = listNode(this);
    return node.loose(node.settle().shift());
  },
  unshift(...items: unknown[]) {
    const node = listNode(this);
    for (const item of items) node.putIn(item);
    return node.settle().unshift(...items);
  },
  // What was put in is found by the object that it was, and what is there by its draft.
  includes(...args: [unknown, number?]) {
    return placeOf(listNode(this), 'includes', args);
  },
  indexOf(...args: [unknown, number?]) {
    return placeOf(listNode(this), 'indexOf', args);
  },
  lastIndexOf(...args: [unknown, number?]) {
    return placeOf(listNode(this), 'lastIndexOf', args);
  },
  splice(...args: [number, number, ...unknown[]]) {
    const node = listNode(this);
    for (let i = 2; i < args.length; i++) node.putIn(args[i]);
    return node
      .settle()
      .splice(...args)
      .map((item) => node.loose(item));
  },
  reverse() {
    listNode(this).settle().reverse();
    return this;
  },
  sort(compare?: Comparator) {
    listNode(this).settle().sort(compare);
    return this;
  },
  fill(...args: [unknown, number?, number?]) {
    const node = listNode(this);
    node.putIn(args[0]);
    node.settle().fill(...args);
    return this;
  },
  copyWithin(...args: [number, number, number?]) {
    copyWithin(listNode(this), args);
    return this;
  },
};

function listNode(draft: unknown[]): ListNode {
  const node = nodeOf(draft) as ListNode | undefined;
  if (!node) throw new TypeError('An array method of a draft was called on something else.');
  alive(node, 'items');
  return node;
}

/** Looks for an item, as the method of arrays does: an object or its draft, whichever stands there. */
function placeOf(
  list: ListNode,
  method: 'includes' | 'indexOf' | 'lastIndexOf',
  [item, ...from]: [unknown, number?],
): unknown {
  const node = nodeOf(item);
  const items = (list.source as unknown[]).map((one, i) => {
    const inner = nodeOf(one) ?? list.kidOf(i);
    // A draft and the object that it is a draft of are the same item.
    if (inner && (inner === node || inner.base === item)) return item;
    return one;
  });
  return (items[method] as (...args: unknown[]) => unknown)(item, ...from);
}

/** Copies items within a list, as the method of arrays does. */
function copyWithin(list: ListNode, args: [number, number, number?]): void {
  const items = list.settle();
  const before = [...items];
  items.copyWithin(...args);
  // An object at two places is two values, also where one of them was handed out.
  for (const [i, item] of items.entries()) {
    if (item === before[i] || !nodeOf(item)) continue;
    items[i] = valueNow(item);
    list.putIn(items[i]);
  }
}
