// What is stored, for people: each store with its state, and what was set aside; and how it is forgotten.
import { messageOf, put } from '../core/internal.js';
import { readLog } from './log.js';
import type { StoredItem } from './persistence.js';
import type { StoredTexts } from './stored-texts.js';
import { wait, type Work } from './work.js';

/** Everything that stands on a storedTexts, by store. */
export function* listed(storedTexts: StoredTexts): Work<readonly StoredItem[]> {
  const items: StoredItem[] = [];
  for (const store of yield* storedTexts.stores()) {
    const text = yield* storedTexts.read(store);
    if (text !== undefined) items.push(itemOf(store, text));
  }
  for (const aside of yield* storedTexts.asides()) items.push({ kind: 'set aside', ...aside, size: aside.text.length });
  return items;
}

/** All keys and texts, as they are stored. */
export function* allTexts(storedTexts: StoredTexts): Work<Record<string, string>> {
  const all: Record<string, string> = {};
  for (const key of yield* wait(storedTexts.area.keys())) {
    const text = yield* wait(storedTexts.text(key));
    if (text !== undefined) put(all, key, text);
  }
  return all;
}

/** Removes everything that is stored of a store, what was set aside too. */
export function* forget(storedTexts: StoredTexts, name: string): Work<void> {
  yield* storedTexts.remove(name);
  for (const { key, store } of yield* storedTexts.asides()) if (store === name) yield* storedTexts.removeAside(key);
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
