// A three-way merge of plain data: what one side changed since a common state, on top of what the other side has now. Fields
// and rows of tables are merged by themselves.
import { isKeyed, KEYED, type Keyed, keyedMaker } from './keyed.js';
import { escapeKey, type Fields, hasOwn, isFields, put, sameData } from './plain.js';

/** A place that both sides changed. Where a side has none, its value is `undefined`. */
export interface Contested {
  /** JSON Pointer (RFC 6901). */
  readonly path: string;
  readonly base: unknown;
  readonly own: unknown;
  readonly other: unknown;
}

/** What a merge cannot tell by itself. */
export interface MergeRules {
  /** The value of a place that both sides changed. */
  decide(contested: Contested): unknown;
  /** One side removed what the other side changed; the own side counts. */
  lost(path: string): void;
  /** Merges lists item by item. Default: a list that both sides changed is one place. */
  lists?(base: readonly unknown[], own: readonly unknown[], other: readonly unknown[], path: string): unknown;
  /**
   * Both sides are sessions of their own: what both did alike is no conflict, and what both added is merged. Default: one
   * change is put on top of others.
   */
  readonly arePeers?: boolean;
  /** Told of a container that became another one. */
  became?(before: unknown, after: unknown): void;
  /** Told of a place where the other side changed nothing: the own value is taken. */
  taken?(other: unknown, base: unknown, own: unknown): void;
}

const isList = (value: unknown): value is readonly unknown[] => Array.isArray(value);

export class Merge {
  constructor(private readonly rules: MergeRules) {}

  /** @param path JSON Pointer to the values */
  values(base: unknown, own: unknown, other: unknown, path: string): unknown {
    const { rules } = this;
    if (sameData(base, own)) return other;
    if (other === base || sameData(other, base)) {
      rules.taken?.(other, base, own);
      return own;
    }
    if (rules.arePeers && sameData(own, other)) return own;
    const merged = this.containers(base, own, other, path);
    if (!merged) return rules.decide({ path, base, own, other });
    if (merged.value !== other) rules.became?.(other, merged.value);
    return merged.value;
  }

  private containers(
    base: unknown,
    own: unknown,
    other: unknown,
    path: string,
  ): { readonly value: unknown } | undefined {
    const { arePeers, lists } = this.rules;
    if (isFields(own) && isFields(other) && (arePeers || isFields(base)))
      return { value: this.fields(isFields(base) ? base : {}, own, other, path) };
    if (isKeyed(own) && isKeyed(other) && (arePeers || isKeyed(base)))
      return { value: this.rows(isKeyed(base) ? base : keyedMaker.make!([]), own, other, path) };
    if (lists && isList(own) && isList(other) && isList(base))
      return { value: lists.call(this.rules, base, own, other, path) };
    return undefined;
  }

  private fields(base: Fields, own: Fields, other: Fields, path: string): Fields {
    const { rules } = this;
    let result: Record<string, unknown> | undefined;
    const edited = (): Record<string, unknown> => (result ??= { ...other });
    for (const key of new Set([...Object.keys(base), ...Object.keys(own)])) {
      const at = `${path}/${escapeKey(key)}`;
      const [was, is, isThere] = [hasOwn(base, key), hasOwn(own, key), hasOwn(other, key)];
      if (was && is && sameData(base[key], own[key])) continue;
      if (!is) {
        if (!isThere) continue;
        if (!sameData(base[key], other[key])) rules.lost(at);
        Reflect.deleteProperty(edited(), key);
        continue;
      }
      if (!isThere && was) rules.lost(at);
      const part = isThere ? this.part({ path: at, base: base[key], own: own[key], other: other[key] }, was) : own[key];
      if (!isThere || !Object.is(part, other[key])) put(edited(), key, part);
    }
    return result ?? other;
  }

  /** @param was whether both sides began with it */
  private part(place: Contested, was: boolean): unknown {
    const { path, own, other } = place;
    const base = was ? place.base : undefined;
    if (was || this.rules.arePeers) return this.values(base, own, other, path);
    return sameData(own, other) ? other : this.rules.decide({ path, base, own, other });
  }

  private rows(base: Keyed, own: Keyed, other: Keyed, path: string): Keyed {
    const { rules } = this;
    const kind = own[KEYED];
    const { changed, removed, added } = kind.difference(base, own);
    const at = (key: string): string => `${path}/${escapeKey(key)}`;
    let result = other;
    for (const key of removed) {
      if (!other.has(key)) continue;
      // A row that was moved is put in again.
      if (!(rules.arePeers && own.has(key)) && !sameData(base.get(key), other.get(key))) rules.lost(at(key));
      result = kind.without(result, key);
    }
    for (const key of changed) {
      const isThere = other.has(key);
      if (!isThere) rules.lost(at(key));
      const row = isThere ? this.values(base.get(key), own.get(key), other.get(key), at(key)) : own.get(key);
      result = kind.with(result, key, row);
    }
    // From the last to the first, so that the row after it is there.
    for (const key of [...added].reverse()) {
      const is = own.get(key);
      if (result.has(key) && sameData(result.get(key), is)) continue;
      const isMerged = result.has(key) || (rules.arePeers && other.has(key));
      const row = isMerged
        ? this.part({ path: at(key), base: base.get(key), own: is, other: other.get(key) }, base.has(key))
        : is;
      result = kind.with(result, key, row, kind.keyAfter(own, key));
    }
    return result;
  }
}
