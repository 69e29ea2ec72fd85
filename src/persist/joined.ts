// Two sessions changed the same baseline. Each change of one session alone is kept: by field, and by row of a table.
import { KEYED, isKeyed, type Keyed } from '../core/keyed.js';
import { hasOwn, put, sameData } from '../core/plain.js';
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
 */
export function joined(before: unknown, own: unknown, other: unknown): Joined {
  const lost: string[] = [];
  const result = join(before, own, other, '', lost);
  return { result, lost };
}

function join(before: unknown, own: unknown, other: unknown, path: string, lost: string[]): unknown {
  if (sameData(before, own)) return other;
  if (sameData(before, other) || sameData(own, other)) return own;
  if (isFields(own) && isFields(other)) return joinFields(isFields(before) ? before : {}, own, other, path, lost);
  if (isKeyed(own) && isKeyed(other)) return joinRows(isKeyed(before) ? before : undefined, own, other, path, lost);
  lost.push(path === '' ? 'the whole' : path);
  return own;
}

const below = (path: string, key: string): string => (path === '' ? key : `${path}/${key}`);

function joinFields(before: Fields, own: Fields, other: Fields, path: string, lost: string[]): unknown {
  const result: Record<string, unknown> = {};
  for (const key of new Set([...Object.keys(other), ...Object.keys(own)])) {
    const at = below(path, key);
    const [was, is, theirs] = [hasOwn(before, key), hasOwn(own, key), hasOwn(other, key)];
    if (is && theirs) put(result, key, join(was ? before[key] : undefined, own[key], other[key], at, lost));
    else if (is && (!was || !sameData(before[key], own[key]))) {
      // The other session removed it, and this one changed it.
      if (was) lost.push(at);
      put(result, key, own[key]);
    } else if (theirs && (!was || !sameData(before[key], other[key]))) {
      // This session removed it, and the other one changed it.
      if (was) lost.push(at);
      else put(result, key, other[key]);
    }
  }
  return result;
}

function joinRows(before: Keyed | undefined, own: Keyed, other: Keyed, path: string, lost: string[]): Keyed {
  const kind = own[KEYED];
  const began = before ?? emptied(own);
  const { changed, removed, added } = kind.difference(began, own);
  let result = other;
  for (const key of removed) {
    if (!other.has(key)) continue;
    if (!sameData(began.get(key), other.get(key))) lost.push(below(path, key));
    result = kind.without(result, key);
  }
  for (const key of changed) {
    if (!other.has(key)) lost.push(below(path, key));
    const row = other.has(key)
      ? join(began.get(key), own.get(key), other.get(key), below(path, key), lost)
      : own.get(key);
    result = kind.with(result, key, row);
  }
  // From the last to the first, so that the row after it is there.
  for (const key of [...added].reverse()) {
    const row = other.has(key) ? join(undefined, own.get(key), other.get(key), below(path, key), lost) : own.get(key);
    result = kind.with(result, key, row, kind.keyAfter(own, key));
  }
  return result;
}

/** A table of the same kind without rows. */
function emptied(table: Keyed): Keyed {
  let result = table;
  for (const key of [...table.keys()]) result = table[KEYED].without(result, key);
  return result;
}
