// Two sessions changed the same baseline. Each change of one session alone is kept: by field, and by row of a table.
import { type Conflict, hasOwn, isKeyed, type Keyed, KEYED, pointerTo, put, sameData } from '../core/internal.js';
import { isFields } from './kept.js';

/** The state that two sessions lead to. */
interface Joined {
  readonly result: unknown;
  /** The places that both sessions changed, to different values: the result has the value of the own session. */
  readonly lost: readonly string[];
}

type Fields = Readonly<Record<string, unknown>>;

/**
 * @param before the state that both sessions began with, as far as that is known
 * @param own the state of this session
 * @param other the state that another session stored meanwhile
 * @param decide gives the value of a place that both changed. Default: the own value, and the place counts as lost
 */
export function joined(
  before: unknown,
  own: unknown,
  other: unknown,
  decide?: (conflict: Conflict) => unknown,
): Joined {
  const join = new Join(decide);
  return { result: join.values(before, own, other, []), lost: join.lost };
}

type Path = readonly string[];

class Join {
  readonly lost: string[] = [];

  constructor(private readonly decide: ((conflict: Conflict) => unknown) | undefined) {}

  values(before: unknown, own: unknown, other: unknown, path: Path): unknown {
    if (sameData(before, own)) return other;
    if (sameData(before, other) || sameData(own, other)) return own;
    if (isFields(own) && isFields(other)) return this.fields(isFields(before) ? before : {}, own, other, path);
    if (isKeyed(own) && isKeyed(other)) return this.rows(isKeyed(before) ? before : undefined, own, other, path);
    return this.conflict(before, own, other, path);
  }

  private conflict(before: unknown, own: unknown, other: unknown, path: Path): unknown {
    if (this.decide) return this.decide({ place: pointerTo(path), before, own, stored: other });
    this.lose(path);
    return own;
  }

  private lose(path: Path): void {
    this.lost.push(path.length === 0 ? 'the whole' : path.join('/'));
  }

  private fields(before: Fields, own: Fields, other: Fields, path: Path): unknown {
    const result: Record<string, unknown> = {};
    for (const key of new Set([...Object.keys(other), ...Object.keys(own)])) {
      const at = [...path, key];
      const [was, is, theirs] = [hasOwn(before, key), hasOwn(own, key), hasOwn(other, key)];
      if (is && theirs) put(result, key, this.values(was ? before[key] : undefined, own[key], other[key], at));
      else if (is && (!was || !sameData(before[key], own[key]))) {
        // The other session removed it, and this one changed it.
        if (was) this.lose(at);
        put(result, key, own[key]);
      } else if (theirs && (!was || !sameData(before[key], other[key]))) {
        // This session removed it, and the other one changed it.
        if (was) this.lose(at);
        else put(result, key, other[key]);
      }
    }
    return result;
  }

  private rows(before: Keyed | undefined, own: Keyed, other: Keyed, path: Path): Keyed {
    const kind = own[KEYED];
    const began = before ?? emptied(own);
    const { changed, removed, added } = kind.difference(began, own);
    let result = other;
    for (const key of removed) {
      if (!other.has(key)) continue;
      if (!sameData(began.get(key), other.get(key))) this.lose([...path, key]);
      result = kind.without(result, key);
    }
    for (const key of changed) {
      if (!other.has(key)) this.lose([...path, key]);
      const row = other.has(key)
        ? this.values(began.get(key), own.get(key), other.get(key), [...path, key])
        : own.get(key);
      result = kind.with(result, key, row);
    }
    // From the last to the first, so that the row after it is there.
    for (const key of [...added].reverse()) {
      const row = other.has(key) ? this.values(undefined, own.get(key), other.get(key), [...path, key]) : own.get(key);
      result = kind.with(result, key, row, kind.keyAfter(own, key));
    }
    return result;
  }
}

/** A table of the same kind without rows. */
function emptied(table: Keyed): Keyed {
  let result = table;
  for (const key of [...table.keys()]) result = table[KEYED].without(result, key);
  return result;
}
