// What a step of a story touched: two steps that touch nothing in common lead to the same state in either order, so that one order is
// enough. (Godefroid, "Partial-Order Methods for the Verification of Concurrent Systems", 1996: sleep sets.)

export class Footprint {
  readonly reads = new Set<string>();
  readonly writes = new Set<string>();
  /** It may have read any state: a selector, a function of examples, an interceptor. */
  readsAll = false;
  /** What was pending optimistically is computed again with all that follows: nothing is independent of it. */
  isAlone = false;

  isIndependentOf(other: Footprint): boolean {
    if (this.isAlone || other.isAlone) return false;
    return this.misses(other) && other.misses(this);
  }

  /** Whether nothing that this one writes is of any concern to the other. */
  private misses(other: Footprint): boolean {
    for (const one of this.writes) {
      if (other.writes.has(one) || other.reads.has(one)) return false;
      if (other.readsAll && one.startsWith(STORE)) return false;
    }
    return true;
  }
}

const STORE = 'store ';
/** Names of what is touched. */
export const touched = {
  store: (name: string): string => STORE + name,
  run: (id: number): string => `run ${id}`,
  type: (type: string): string => `type ${type}`,
  need: (name: string): string => `need ${name}`,
  clock: 'clock',
  random: 'random',
};
