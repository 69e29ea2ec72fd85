// Reverts or repeats one change on top of later changes: a three-way merge that matches items of lists by identity, not by
// index.
import {
  type Contested,
  hasOwn,
  isContainer,
  type Keyed,
  KEYED,
  kindOf,
  KnownTouches,
  Merge,
  type MergeRules,
  same,
  sameData,
} from '../core/internal.js';
import type { Identities } from './identities.js';

/** A later change touched the same place. */
export class MergeConflict {
  constructor(readonly pointer: string) {}
}

type Parts = Readonly<Record<string, unknown>>;
type List = readonly unknown[];

export class Merging implements MergeRules {
  /** Which objects of the result are other versions of which objects of the state now. */
  readonly touches = new KnownTouches();
  private readonly merge = new Merge(this);

  constructor(
    private readonly identities: Identities,
    /** Overwrites later changes instead of throwing a conflict. */
    private readonly anyway: boolean,
  ) {
    this.touches.note([]);
  }

  /**
   * Applies the change from `from` to `to` onto `now`.
   * @param path JSON Pointer to it
   * @throws MergeConflict
   */
  apply(now: unknown, from: unknown, to: unknown, path: string): unknown {
    return this.merge.values(from, to, now, path);
  }

  decide({ path, own }: Contested): unknown {
    this.lost(path);
    return own;
  }

  lost(path: string): void {
    if (!this.anyway) throw new MergeConflict(path);
  }

  became(before: unknown, after: unknown): void {
    if (after === before || !isContainer(after) || !isContainer(before)) return;
    this.touches.set(after, { base: before, keys: undefined, moved: true });
  }

  /** What stands there now is as it was left: everything in it becomes what it is the other version of. */
  taken(now: unknown, from: unknown, to: unknown): void {
    const kind = kindOf(to);
    if (now === to || kind === 0 || kind !== kindOf(now) || kind !== kindOf(from)) return;
    this.became(now, to);
    if (kind === 3) {
      const [old, next] = [from as Keyed, to as Keyed];
      for (const key of old[KEYED].difference(old, next).changed)
        this.taken((now as Keyed).get(key), old.get(key), next.get(key));
    } else if (kind === 1) {
      for (const key of Object.keys(to as Parts))
        if (hasOwn(from as object, key)) this.taken((now as Parts)[key], (from as Parts)[key], (to as Parts)[key]);
    } else {
      const places = new Map(this.named(from as List).map((name, i) => [name, i]));
      for (const [j, name] of this.named(to as List).entries()) {
        const i = places.get(name);
        if (i !== undefined) this.taken((now as List)[i], (from as List)[i], (to as List)[j]);
      }
    }
  }

  /** A name for each item: who it is, and, where the same stands there more than once, which of them. */
  private named(list: List): unknown[] {
    const seen = new Map<unknown, number>();
    return list.map((item) => {
      const identity = this.identities.of(item);
      const count = seen.get(identity) ?? 0;
      seen.set(identity, count + 1);
      return count === 0 ? identity : this.another(identity, count);
    });
  }

  private readonly others = new Map<unknown, object[]>();
  private another(identity: unknown, count: number): object {
    let names = this.others.get(identity);
    if (!names) this.others.set(identity, (names = []));
    return (names[count] ??= {});
  }

  lists(from: List, to: List, now: List, path: string): List {
    const [namesNow, namesFrom, namesTo] = [this.named(now), this.named(from), this.named(to)];
    const [inNow, inFrom, inTo] = [placesOf(namesNow), placesOf(namesFrom), placesOf(namesTo)];
    const items = new Map<unknown, unknown>();
    for (const [name, i] of inNow) items.set(name, now[i]);
    const gone = new Set<unknown>();
    for (const [name, i] of inFrom) {
      const place = inNow.get(name);
      const j = inTo.get(name);
      const at = `${path}/${place ?? i}`;
      if (j !== undefined) {
        if (same(from[i], to[j])) continue;
        if (place === undefined) this.lost(path);
        else items.set(name, this.merge.values(from[i], to[j], now[place], at));
      } else if (place !== undefined) {
        if (!sameData(now[place], from[i])) this.lost(at);
        gone.add(name);
      }
    }
    const shared = (names: readonly unknown[]): unknown[] =>
      names.filter((name) => inNow.has(name) && inFrom.has(name) && inTo.has(name));
    const kept = namesNow.filter((name) => !gone.has(name));
    const order = this.inOrder(kept, { now: shared(namesNow), from: shared(namesFrom), to: shared(namesTo) }, path);
    for (const [name, j] of inTo) if (!inFrom.has(name) && !inNow.has(name)) items.set(name, to[j]);
    const names = withInserted(order, namesTo, (name) => !inFrom.has(name) && !inNow.has(name));
    const result = names.map((name) => items.get(name));
    const isSame = result.length === now.length && result.every((item, i) => Object.is(item, now[i]));
    return isSame ? now : result;
  }

  /** The items that stay, in their order: that of `to`, but for what others moved since. */
  private inOrder(
    kept: readonly unknown[],
    { now, from, to }: Readonly<Record<'now' | 'from' | 'to', readonly unknown[]>>,
    path: string,
  ): readonly unknown[] {
    if (isSameOrder(from, to)) return kept;
    const half = to.length / 2;
    const movedSince = isSameOrder(from, now) ? new Set<unknown>() : movedIn(from, now);
    if (movedSince.size > half) {
      const moved = movedIn(from, to);
      // Few moved: each goes back before the one that it stood before.
      if (moved.size <= half)
        return withInserted(
          kept.filter((name) => !moved.has(name)),
          to,
          (name) => moved.has(name),
        );
      this.lost(path);
      movedSince.clear();
    }
    const free = new Set(now.filter((name) => !movedSince.has(name)));
    const wanted = to.filter((name) => free.has(name));
    let next = 0;
    return kept.map((name) => (free.has(name) ? wanted[next++] : name));
  }
}

const placesOf = (names: readonly unknown[]): ReadonlyMap<unknown, number> =>
  new Map(names.map((name, i) => [name, i]));

const isSameOrder = (a: readonly unknown[], b: readonly unknown[]): boolean => a.every((name, i) => name === b[i]);

/** The fewest items that moved, when one order became another: those outside of a longest increasing subsequence. */
function movedIn(before: readonly unknown[], after: readonly unknown[]): Set<unknown> {
  const places = placesOf(before);
  const sequence = after.map((name) => places.get(name)!);
  /** By length of a subsequence: the index of its last item, as small an item as there is. */
  const ends: number[] = [];
  const previous: number[] = [];
  for (const [i, value] of sequence.entries()) {
    let low = 0;
    let high = ends.length;
    while (low < high) {
      const middle = (low + high) >>> 1;
      if (sequence[ends[middle]] < value) low = middle + 1;
      else high = middle;
    }
    previous[i] = low > 0 ? ends[low - 1] : -1;
    ends[low] = i;
  }
  const moved = new Set(after);
  for (let i = ends.at(-1) ?? -1; i >= 0; i = previous[i]) moved.delete(after[i]);
  return moved;
}

/** Some names with others put in: each before the one that follows it in `order`, or else after the one before it. */
function withInserted(
  names: readonly unknown[],
  order: readonly unknown[],
  isInserted: (name: unknown) => boolean,
): readonly unknown[] {
  const places = placesOf(names);
  /** By place of what is there: what comes before it, and what comes after it. */
  const before = new Map<number, unknown[]>();
  const after = new Map<number, unknown[]>();
  const put = (groups: Map<number, unknown[]>, place: number, name: unknown): void => {
    const group = groups.get(place);
    if (group) group.push(name);
    else groups.set(place, [name]);
  };
  let next: number | undefined;
  const last = order.reduce<number>((found, name) => places.get(name) ?? found, names.length - 1);
  for (const name of [...order].reverse()) {
    const place = places.get(name);
    if (place !== undefined) next = place;
    else if (isInserted(name)) put(next === undefined ? after : before, next ?? last, name);
  }
  const reversed = (groups: ReadonlyMap<number, unknown[]>, place: number): unknown[] =>
    groups.get(place)?.reverse() ?? [];
  return [
    ...reversed(after, -1),
    ...names.flatMap((name, place) => [...reversed(before, place), name, ...reversed(after, place)]),
  ];
}
