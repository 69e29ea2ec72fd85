// The trie of a table: nodes that are 32 wide, by slot number. Versions share the nodes that are the same.

export const BITS = 5;
export const WIDTH = 1 << BITS;
export const MASK = WIDTH - 1;
/** What stands in the slot of a removed row. */
export const GONE: unique symbol = Symbol('gone');
/** Who may edit a node in place: one edit of one table. */
export type EditOwner = object | undefined;

export class Leaf {
  constructor(
    public keys: string[],
    public rows: unknown[],
    public owner: EditOwner,
    /** Whether the owner may also edit the keys: a changed row shares them with the version before. */
    public ownsKeys: boolean,
  ) {}
}

export class Inner {
  constructor(
    public kids: TrieNode[],
    public owner: EditOwner,
  ) {}
}

export type TrieNode = Leaf | Inner;

export function own(node: TrieNode | undefined, owner: EditOwner, level: number): TrieNode {
  if (node === undefined) return level > 0 ? new Inner([], owner) : new Leaf([], [], owner, true);
  if (node.owner === owner && owner !== undefined) return node;
  return node instanceof Leaf
    ? new Leaf(node.keys, node.rows.slice(), owner, false)
    : new Inner(node.kids.slice(), owner);
}

/** Goes down two tries of equal height, where they are not the same node, to the leaves, until one visit says to stop. */
export function eachLeafPair(
  a: TrieNode | undefined,
  b: TrieNode | undefined,
  visit: (a: Leaf | undefined, b: Leaf | undefined) => boolean,
): boolean {
  if (a instanceof Leaf || b instanceof Leaf) return visit(a as Leaf | undefined, b as Leaf | undefined);
  const left = a ? a.kids : NO_KIDS;
  const right = b ? b.kids : NO_KIDS;
  const count = Math.max(left.length, right.length);
  for (let i = 0; i < count; i++) {
    const was = i < left.length ? left[i] : undefined;
    const is = i < right.length ? right[i] : undefined;
    if (was !== is && !eachLeafPair(was, is, visit)) return false;
  }
  return true;
}
const NO_KIDS: TrieNode[] = [];

export function raised(node: TrieNode, levels: number): TrieNode {
  for (; levels > 0; levels--) node = new Inner([node], undefined);
  return node;
}

export function* unsettledLeaves(node: TrieNode, settled: WeakSet<object>): Iterable<Leaf> {
  if (settled.has(node)) return;
  if (node instanceof Leaf) yield node;
  else for (const kid of node.kids) yield* unsettledLeaves(kid, settled);
}

export function settleNode(node: TrieNode, settled: WeakSet<object>): void {
  if (settled.has(node)) return;
  settled.add(node);
  if (node instanceof Inner) for (const kid of node.kids) settleNode(kid, settled);
}

/** Goes through the rows of one version. By hand, since a generator takes several times as long. */
export class TrieWalk<T> {
  private slot = -WIDTH;
  private i = 0;
  private keys: string[] = [];
  private rows: unknown[] = [];
  constructor(
    private readonly leafAt: (slot: number) => Leaf,
    private readonly length: number,
    private readonly pick: (key: string, row: unknown) => T,
  ) {}
  next(): IteratorResult<T, undefined> {
    for (;;) {
      while (this.i < this.rows.length) {
        const i = this.i++;
        const row = this.rows[i];
        if (row !== GONE) return { done: false, value: this.pick(this.keys[i], row) };
      }
      this.slot += WIDTH;
      if (this.slot >= this.length) {
        this.slot = this.length;
        return { done: true, value: undefined };
      }
      ({ keys: this.keys, rows: this.rows } = this.leafAt(this.slot));
      this.i = 0;
    }
  }
  [Symbol.iterator](): this {
    return this;
  }
}
