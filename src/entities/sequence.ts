// A persistent sequence: a tree with counts (a B+ tree without keys), so that an item is found, put in or taken out by its
// index at the cost of one path, and versions share the rest.

const WIDTH = 32;

type SequenceNode<T> = SequenceLeaf<T> | SequenceInner<T>;
interface SequenceLeaf<T> {
  readonly items: readonly T[];
  readonly count: number;
}
interface SequenceInner<T> {
  readonly kids: readonly SequenceNode<T>[];
  readonly count: number;
}

const isLeaf = <T>(node: SequenceNode<T>): node is SequenceLeaf<T> => 'items' in node;
const leaf = <T>(items: readonly T[]): SequenceLeaf<T> => ({ items, count: items.length });
const inner = <T>(kids: readonly SequenceNode<T>[]): SequenceInner<T> => ({
  kids,
  count: kids.reduce((sum, kid) => sum + kid.count, 0),
});

function spliced<P>(parts: readonly P[], index: number, count: number, ...more: readonly P[]): P[] {
  const copy = parts.slice();
  copy.splice(index, count, ...more);
  return copy;
}

/** The root of a sequence; `undefined` is the empty one. */
export type Sequence<T> = SequenceNode<T> | undefined;

export const lengthOf = (sequence: Sequence<unknown>): number => sequence?.count ?? 0;

/** A sequence of items, in their order. */
export function sequenceOf<T>(items: readonly T[]): Sequence<T> {
  if (items.length === 0) return undefined;
  // Leaves are left some room.
  const fill = WIDTH - WIDTH / 4;
  let level: SequenceNode<T>[] = pieces(items, fill).map(leaf);
  while (level.length > 1) level = pieces(level, fill).map(inner);
  return level[0];
}

function pieces<T>(all: readonly T[], size: number): T[][] {
  const made: T[][] = [];
  for (let i = 0; i < all.length; i += size) made.push(all.slice(i, i + size));
  return made;
}

export function itemAt<T>(sequence: Sequence<T>, index: number): T | undefined {
  let node = sequence;
  if (!node || index < 0 || index >= node.count) return undefined;
  for (;;) {
    if (isLeaf(node)) return node.items[index];
    for (const kid of node.kids) {
      if (index < kid.count) {
        node = kid;
        break;
      }
      index -= kid.count;
    }
  }
}

/** The number of items at the beginning for which `isBefore` holds; it must hold for none after the first that it does not. */
export function countWhile<T>(sequence: Sequence<T>, isBefore: (item: T) => boolean): number {
  let low = 0;
  let high = lengthOf(sequence);
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (isBefore(itemAt(sequence, middle)!)) low = middle + 1;
    else high = middle;
  }
  return low;
}

export function inserted<T>(sequence: Sequence<T>, index: number, item: T): Sequence<T> {
  if (!sequence) return leaf([item]);
  const made = insert(sequence, index, item);
  return made.length === 1 ? made[0] : inner(made);
}

function insert<T>(node: SequenceNode<T>, index: number, item: T): SequenceNode<T>[] {
  if (isLeaf(node)) return split(spliced(node.items, index, 0, item), leaf);
  let i = 0;
  while (i < node.kids.length - 1 && index > node.kids[i].count) index -= node.kids[i++].count;
  return split(spliced(node.kids, i, 1, ...insert(node.kids[i], index, item)), inner);
}

function split<P, T>(parts: readonly P[], make: (parts: readonly P[]) => SequenceNode<T>): SequenceNode<T>[] {
  if (parts.length <= WIDTH) return [make(parts)];
  const half = parts.length >>> 1;
  return [make(parts.slice(0, half)), make(parts.slice(half))];
}

export function removedAt<T>(sequence: Sequence<T>, index: number): Sequence<T> {
  let node = sequence && remove(sequence, index);
  while (node && !isLeaf(node) && node.kids.length === 1) node = node.kids[0];
  return node;
}

function remove<T>(node: SequenceNode<T>, index: number): SequenceNode<T> | undefined {
  if (isLeaf(node)) return node.count === 1 ? undefined : leaf(spliced(node.items, index, 1));
  let i = 0;
  while (index >= node.kids[i].count) index -= node.kids[i++].count;
  const kid = remove(node.kids[i], index);
  if (!kid) return node.kids.length === 1 ? undefined : inner(spliced(node.kids, i, 1));
  // A thin part joins the one beside it.
  const beside = node.kids[i + 1] as SequenceNode<T> | undefined;
  const joined = beside && partsOf(kid) < WIDTH / 4 ? join(kid, beside) : undefined;
  return inner(joined ? spliced(node.kids, i, 2, joined) : spliced(node.kids, i, 1, kid));
}

const partsOf = (node: SequenceNode<unknown>): number => (isLeaf(node) ? node.items.length : node.kids.length);

function join<T>(a: SequenceNode<T>, b: SequenceNode<T>): SequenceNode<T> | undefined {
  if (partsOf(a) + partsOf(b) > WIDTH) return undefined;
  if (isLeaf(a) && isLeaf(b)) return leaf([...a.items, ...b.items]);
  if (!isLeaf(a) && !isLeaf(b)) return inner([...a.kids, ...b.kids]);
  return undefined;
}

export function replacedAt<T>(sequence: Sequence<T>, index: number, item: T): Sequence<T> {
  return sequence && replace(sequence, index, item);
}

function replace<T>(node: SequenceNode<T>, index: number, item: T): SequenceNode<T> {
  if (isLeaf(node)) return leaf(spliced(node.items, index, 1, item));
  let i = 0;
  while (index >= node.kids[i].count) index -= node.kids[i++].count;
  return { kids: spliced(node.kids, i, 1, replace(node.kids[i], index, item)), count: node.count };
}

/** Goes through a sequence, from an index on; stops when `visit` gives `false`. */
export function eachItem<T>(sequence: Sequence<T>, from: number, visit: (item: T) => boolean | void): boolean {
  if (!sequence || from >= sequence.count) return true;
  if (isLeaf(sequence)) {
    for (let i = from; i < sequence.items.length; i++) if (visit(sequence.items[i]) === false) return false;
    return true;
  }
  for (const kid of sequence.kids) {
    if (from < kid.count && !eachItem(kid, from, visit)) return false;
    from = Math.max(0, from - kid.count);
  }
  return true;
}
