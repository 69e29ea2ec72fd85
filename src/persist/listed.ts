// What is stored, for people: each store with its state, and what was set aside; and how it is forgotten.
import { messageOf, put } from '../core/internal.js';
import { readLog } from './log.js';
import type { StoredItem } from './persistence.js';
import type { Shelf } from './shelf.js';
import { wait, type Work } from './work.js';

/** Everything that stands on a shelf, by store. */
export function* listed(shelf: Shelf): Work<readonly StoredItem[]> {
  const items: StoredItem[] = [];
  for (const store of yield* shelf.stores()) {
    const text = yield* shelf.read(store);
    if (text !== undefined) items.push(itemOf(store, text));
  }
  for (const aside of yield* shelf.asides()) items.push({ kind: 'set aside', ...aside, size: aside.text.length });
  return items;
}

/** All keys and texts, as they are stored. */
export function* allTexts(shelf: Shelf): Work<Record<string, string>> {
  const all: Record<string, string> = {};
  for (const key of yield* wait(shelf.area.keys())) {
    const text = yield* wait(shelf.text(key));
    if (text !== undefined) put(all, key, text);
  }
  return all;
}

/** Removes everything that is stored of a store, what was set aside too. */
export function* forget(shelf: Shelf, name: string): Work<void> {
  yield* shelf.remove(name);
  for (const { key, store } of yield* shelf.asides()) if (store === name) yield* shelf.removeAside(key);
}

function itemOf(store: string, text: string): StoredItem {
  const item = { store, kind: 'state', size: text.length } as const;
  try {
    const log = readLog(store, text);
    if ('newer' in log) return { ...item, newer: log.newer, why: `it was written by a newer version (${log.newer})` };
    const { state, version, changes, damage } = log;
    return { ...item, state, version, changes, ...(damage && { why: damage.why }) };
  } catch (cause) {
    return { ...item, why: messageOf(cause) };
  }
}
