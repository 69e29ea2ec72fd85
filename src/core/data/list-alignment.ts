// Which items of two lists are versions of each other.
import { hasOwn, kindOf, same, sameData } from './plain.js';
import type { Touches } from './touches.js';

/** More insertions and removals than this in one list are no alignment. */
const MOST_LIST_EDITS = 128;

export class ListAlignment {
  /** Items were paired that are equal, but not known to be the same: they may be others. */
  onlyEqual = false;
  /** The items before it are the same in both lists. */
  readonly start: number;
  /** The items from here on are the same as those from `newEnd` on. */
  readonly oldEnd: number;
  readonly newEnd: number;
  /** How the items between became the others: for each step '=' keep, '-' take out, '+' put in. None where too much changed. */
  readonly script: readonly string[] | undefined;

  constructor(
    readonly before: unknown[],
    readonly after: unknown[],
    private readonly touches: Touches,
  ) {
    const shorter = Math.min(before.length, after.length);
    let start = 0;
    while (start < shorter && this.sameItem(before[start], after[start])) start++;
    let end = 0;
    while (end < shorter - start && this.sameItem(before[before.length - 1 - end], after[after.length - 1 - end]))
      end++;
    this.start = start;
    this.oldEnd = before.length - end;
    this.newEnd = after.length - end;
    this.script = this.align();
  }

  /** The same item, perhaps edited: a draft remembers what an item was before. */
  private sameItem(before: unknown, after: unknown): boolean {
    if (typeof after !== 'object' || typeof before !== 'object') return Object.is(before, after);
    if (before === after || this.touches.get(after)?.base === before) return true;
    if (!sameData(before, after)) return false;
    this.onlyEqual = true;
    return true;
  }

  /** Whether two items without a known history look like two versions of one: at least half of their parts agree. */
  alike(before: unknown, after: unknown): boolean {
    if (this.sameItem(before, after)) return true;
    if (kindOf(before) !== 1 || kindOf(after) !== 1) return false;
    const [a, b] = [before as Record<string, unknown>, after as Record<string, unknown>];
    const keys = Object.keys(a);
    const agreeing = keys.reduce((count, key) => count + (hasOwn(b, key) && same(a[key], b[key]) ? 1 : 0), 0);
    return agreeing * 2 >= Math.max(keys.length, Object.keys(b).length);
  }

  /**
   * Greedy shortest
   * edit script after E. W. Myers, "An O(ND) Difference Algorithm and Its Variations" (Algorithmica, 1986).
   */
  private align(): string[] | undefined {
    const { before, after, start } = this;
    const n = this.oldEnd - start;
    const m = this.newEnd - start;
    if (n === 0) return Array<string>(m).fill('+');
    if (m === 0) return Array<string>(n).fill('-');
    const most = Math.min(n + m, MOST_LIST_EDITS);
    const rows: Int32Array[] = [];
    const reach = new Int32Array(2 * most + 3);
    const zero = most + 1;
    for (let d = 0; d <= most; d++) {
      rows.push(reach.slice());
      for (let k = -d; k <= d; k += 2) {
        const down = k === -d || (k !== d && reach[zero + k - 1] < reach[zero + k + 1]);
        let x = down ? reach[zero + k + 1] : reach[zero + k - 1] + 1;
        while (x < n && x - k < m && this.sameItem(before[start + x], after[start + x - k])) x++;
        reach[zero + k] = x;
        if (x >= n && x - k >= m) return scriptOf(rows, zero, n, m);
      }
    }
    // Too many edits to align. Every item may be a new version of the one in its place; a stretch may be other items
    // altogether; what remains is a reorder.
    if (n === m && this.pairwise(n)) return Array<string>(n).fill('=');
    if (2 * (n + m) <= before.length) return [...Array<string>(n).fill('-'), ...Array<string>(m).fill('+')];
    return undefined;
  }

  private pairwise(count: number): boolean {
    const { before, after, start } = this;
    for (let i = start; i < start + count; i++) if (!this.alike(before[i], after[i])) return false;
    return true;
  }
}

/** The way back through the rows of an alignment. */
function scriptOf(rows: readonly Int32Array[], zero: number, n: number, m: number): string[] {
  const script: string[] = [];
  let [x, y] = [n, m];
  for (let d = rows.length - 1; d > 0; d--) {
    const row = rows[d];
    const k = x - y;
    const down = k === -d || (k !== d && row[zero + k - 1] < row[zero + k + 1]);
    const fromK = down ? k + 1 : k - 1;
    const fromX = row[zero + fromK];
    const fromY = fromX - fromK;
    while (x > fromX && y > fromY) {
      script.push('=');
      x--;
      y--;
    }
    script.push(down ? '+' : '-');
    [x, y] = [fromX, fromY];
  }
  return script.reverse();
}
