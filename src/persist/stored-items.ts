// What is stored, for people: each store with its state, and what was set aside; and how it is forgotten.
import { messageOf, put } from '../core/internal.js';
import { StorageConflict } from './area.js';
import { readLog } from './log.js';
import type { StoredItem } from './persistence.js';
import type { StoredTexts } from './stored-texts.js';
import { wait, type AreaWork } from './work.js';

/** How often it looks again at what other writers stored meanwhile. */
const MOST_ROUNDS = 20;

/** Everything that is stored, by store. */
export function* storedItems(storedTexts: StoredTexts): AreaWork<readonly StoredItem[]> {
  const items: StoredItem[] = [];
  for (const store of yield* storedTexts.stores()) {
    const text = yield* storedTexts.read(store);
    if (text !== undefined) items.push(itemOf(store, text));
  }
  for (const aside of yield* storedTexts.asides()) items.push({ kind: 'set aside', ...aside, size: aside.text.length });
  return items;
}

/** All keys and texts, as they are stored. */
export function* allTexts(storedTexts: StoredTexts): AreaWork<Record<string, string>> {
  const all: Record<string, string> = {};
  for (const key of yield* wait(storedTexts.area.keys())) {
    const text = yield* wait(storedTexts.text(key));
    if (text !== undefined) put(all, key, text);
  }
  return all;
}

/** Removes everything that is stored of a store, what was set aside too. */
export function* forget(storedTexts: StoredTexts, name: string): AreaWork<void> {
  for (let round = 0; ; round++) {
    try {
      yield* storedTexts.remove(name);
      break;
    } catch (cause) {
      // Another writer was there meanwhile: what it stored is to be forgotten as well.
      if (!(cause instanceof StorageConflict) || round >= MOST_ROUNDS) throw cause;
      yield* storedTexts.read(name);
    }
  }
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
