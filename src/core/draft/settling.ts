// The data that a change leaves, without the drafts that stand in it.
import { dataTooDeep, notPlain } from '../base/errors.js';
import { KEYED, isKeyed } from '../data/keyed.js';
import {
  hasOwn,
  isContainer,
  isMap,
  isSet,
  MOST_NESTED,
  pointerTo,
  put,
  replaceEntries,
  replaceParts,
  sameData,
  shallowCopy,
  type Container,
} from '../data/plain.js';
import { alive, nodeOf } from './draft-faces.js';
import type { DraftNode } from './node.js';

/** What messages say of it. */
export const AFTER = 'The state after this change';

/** Parts of longer new lists are not looked for in the lists that they replace. */
const LONG = 1000;

/**
 * New data in the place of other data, without drafts. What is the same data stays the same object, so that nothing is
 * notified of it.
 * @param at the JSON Pointer to it, for a message
 */
export function settledPart(before: unknown, value: unknown, at?: () => string): unknown {
  const isPartwise = isContainer(before) && isContainer(value) && !nodeOf(value);
  const handed = isPartwise ? draftsIn(value) : [];
  const after = withoutDrafts(value, undefined, at);
  if (sameData(before, after)) return before;
  return isPartwise ? keptParts(before, after, new Set(Array.from(handed, (node) => node.fold()))) : after;
}

/** The drafts in new data. Without recursion: how deep the data may be is not checked yet. */
function draftsIn(value: object): Set<DraftNode> {
  const found = new Set<DraftNode>();
  const seen = new Set([value]);
  // The set grows while the loop goes through it.
  for (const container of seen) {
    if (Array.isArray(container) && container.length > LONG) continue;
    for (const part of Object.values(container) as unknown[]) {
      if (typeof part !== 'object' || part === null) continue;
      const node = nodeOf(part);
      if (node) found.add(node);
      else if (isContainer(part)) seen.add(part);
    }
  }
  return found;
}

/** @param handed objects of the state, and what became of them: these stay what they are */
function keptParts(before: unknown, after: unknown, handed: ReadonlySet<unknown>): unknown {
  if (sameData(before, after)) return before;
  if (!isContainer(before) || !isContainer(after) || handed.has(after)) return after;
  if (Array.isArray(before) !== Array.isArray(after)) return after;
  if (Array.isArray(after) && (after.length > LONG || after.length !== (before as unknown[]).length)) return after;
  let result: Container = after;
  for (const key of Object.keys(after)) {
    const part = (after as Record<string, unknown>)[key];
    if (typeof part !== 'object' || part === null || !hasOwn(before, key)) continue;
    const kept = keptParts((before as Record<string, unknown>)[key], part, handed);
    if (kept === part) continue;
    if (result === after) result = shallowCopy(after);
    put(result, key, kept);
  }
  return result;
}

/** What a draft holds now, as a value of its own. */
export function valueNow(value: unknown): unknown {
  const node = nodeOf(value);
  if (!node) return value;
  if (!node.changed && !node.fresh) return node.base;
  const { proxy } = node;
  if (Array.isArray(node.base)) return Array.from(proxy as unknown[], valueNow);
  if (!isContainer(node.base)) return value;
  const result = {};
  for (const key of Object.keys(proxy)) put(result, key, valueNow((proxy as Record<string, unknown>)[key]));
  return result;
}

/**
 * New data with every draft in it replaced by what the draft became. Data without drafts is returned as it is.
 * @param at the JSON Pointer to the value, for a message
 */
export function withoutDrafts(value: unknown, above?: Set<object>, at = (): string => ''): unknown {
  if (typeof value !== 'object' || value === null) return value;
  const node = nodeOf(value);
  if (node) {
    alive(node, 'value');
    return node.fold();
  }
  if (isKeyed(value)) return value[KEYED].resolved(value, (row) => withoutDrafts(row, above, at));
  const isEntries = isMap(value) || isSet(value);
  if (!isEntries && !isContainer(value)) return value;
  if (above?.has(value)) throw notPlain(AFTER, at() + pathThrough([...above, value]), 'cycle', value);
  if (above && above.size > MOST_NESTED) throw dataTooDeep(AFTER, at() + pathThrough([...above]), MOST_NESTED);
  const inside = (part: unknown): unknown => withoutDrafts(part, (above ??= new Set()).add(value), at);
  const result = isEntries ? replaceEntries(value, inside) : replaceParts(value, inside);
  above?.delete(value);
  return result;
}

/** The JSON Pointer along containers of which each holds the next. */
function pathThrough(way: readonly object[]): string {
  const keys: (string | number)[] = [];
  for (const [i, next] of way.slice(1).entries()) keys.push(keyOf(way[i], next));
  return pointerTo(keys);
}

function keyOf(holder: object, part: object): string | number {
  const parts: Iterable<readonly [unknown, unknown]> = isMap(holder)
    ? holder
    : isSet(holder)
      ? Array.from(holder, (one, i) => [i, one] as const)
      : Object.entries(holder);
  for (const [key, value] of parts) if (value === part || key === part) return String(key);
  return '?';
}
