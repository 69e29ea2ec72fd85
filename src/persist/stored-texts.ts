// The logs of all stores in one area: under the name of a store its log; where nothing can be added to a text, each
// addition as a page of its own (`NAME.ID.NUMBER`, with the checksum of the first line as ID); and what was set aside
// (`NAME.aside.TIME`). Names of stores hold no dots.
import { isThenable } from '../core/internal.js';
import { beginsWith, StorageConflict, type Beginning, type MaybeAsync, type StorageArea } from './area.js';
import { hex, seal, unseal, type LineSum } from './checksums.js';
import type { StoreRecord } from './store-record.js';
import { wait, waitAll, type AreaWork } from './work.js';

/** So much of a text tells it from every other: the checksum of its first line. */
const HEAD = 64;

const PAGE = /^([^.]+)\.([0-9a-f]{8})\.([1-9][0-9]*)$/;
const ASIDE = /^([^.]+)\.(?:aside|damaged)\.[0-9]+$/;

/** What was set aside: the text as it was stored, and why. */
export interface SetAside {
  readonly key: string;
  readonly store: string;
  readonly why: string;
  /** Epoch milliseconds; absent where it is not known. */
  readonly time?: number;
  readonly text: string;
}

/** What a session knows of a stored text. */
type KnownText = Pick<StoreRecord, 'head' | 'end'> & { readonly store: { readonly name: string } };

export class StoredTexts {
  constructor(readonly area: StorageArea) {}

  /** The text under a key, if there is one. */
  text(key: string, onBytes?: (bytes: Uint8Array) => void): MaybeAsync<string | undefined> {
    const found = this.area.read(key, onBytes);
    return isThenable(found) ? found.then(textIn) : textIn(found);
  }

  /** The stores that something is kept of. */
  *stores(): AreaWork<readonly string[]> {
    const keys = yield* wait(this.area.keys());
    return keys.filter((key) => !key.includes('.')).sort();
  }

  /**
   * The log of a store, as one text.
   * @param sum takes the checksum of the first line, where the area hands out bytes
   */
  *read(store: string, sum?: LineSum): AreaWork<string | undefined> {
    const { area } = this;
    if (area.append) return yield* wait(this.text(store));
    // Both are on their way at the same time, and where both fail it is one failure.
    const both = yield* waitAll<unknown>([this.text(store, sum?.add), area.keys()]);
    const [first, keys] = both as readonly [string | undefined, readonly string[]];
    if (first === undefined) return first;
    const id = first.slice(8, 16);
    const pages = pagesIn(keys, store)
      .filter((page) => page.id === id)
      .sort((a, b) => a.number - b.number);
    const texts = yield* waitAll(pages.map(({ key }) => this.text(key)));
    // A page without a text was damaged: it must not look as if it had never been.
    return first + texts.map((text) => text || '\n').join('');
  }

  /** How the texts of a store begin as long as no other writer has stored it. */
  private beginnings({ store: { name }, head, end }: KnownText): readonly Beginning[] {
    const whole = { key: name, begins: head };
    if (!end) return [whole];
    const next = { key: pageKey(name, end.id, end.additions + 1), begins: undefined };
    if (end.additions === 0) return [whole, next];
    return [{ key: pageKey(name, end.id, end.additions), begins: `{"sum":"${hex(end.sum)}"` }, next];
  }

  /** Whether what is stored still is what this session left there, or found. */
  *isAsLeft(known: KnownText): AreaWork<boolean> {
    if (this.area.append) return true;
    const beginnings = this.beginnings(known);
    const texts = yield* waitAll(beginnings.map(({ key }) => this.text(key)));
    return beginnings.every(({ begins }, i) => beginsWith(texts[i], begins));
  }

  /** Writes a text, if no other writer has stored the store meanwhile. @throws StorageConflict where the place can tell */
  private *write(known: KnownText, key: string, text: string, pages: readonly Page[] = []): AreaWork<void> {
    const { area } = this;
    if (area.writeIf) {
      const keys = pages.map((page) => page.key);
      return yield* wait(area.writeIf(key, text, this.beginnings(known), keys));
    }
    yield* wait(area.write(key, text));
    yield* this.removePages(pages);
  }

  /** Puts a new log in the place of the old one; it stands there whole, or the old one does. */
  *replace(known: KnownText, line: string): AreaWork<string> {
    const { name } = known.store;
    yield* this.write(known, name, line + '\n', yield* this.pagesBefore(known));
    return headOf(line + '\n');
  }

  /** The pages that a new log makes useless. Where no log stands they go first, so that none of them can belong to it. */
  private *pagesBefore({ store: { name }, head }: KnownText): AreaWork<readonly Page[]> {
    if (this.area.append) return [];
    let keys: readonly string[];
    try {
      keys = yield* wait(this.area.keys());
    } catch {
      // They belong to no log, and are passed over when this one is read.
      return [];
    }
    const pages = pagesIn(keys, name);
    if (head !== undefined || pages.length === 0) return pages;
    // Another session has begun a log meanwhile: they may be its pages.
    if (keys.includes(name)) throw new StorageConflict(`another session has stored '${name}' meanwhile`);
    yield* this.removePages(pages);
    return [];
  }

  /** Where that fails nothing is lost. */
  private *removePages(pages: readonly Page[]): AreaWork<void> {
    try {
      for (const { key } of pages) yield* wait(this.area.remove(key));
    } catch {
      // They belong to no log, and are passed over when this one is read.
    }
  }

  /** Adds a line to a log. */
  *add(known: KnownText, line: string): AreaWork<void> {
    const { store, end } = known;
    const text = line + '\n';
    if (this.area.append) yield* wait(this.area.append(store.name, text));
    else yield* this.write(known, pageKey(store.name, end!.id, end!.additions + 1), text);
  }

  /** Whether anything is stored of a store. */
  *has(store: string): AreaWork<boolean> {
    return (yield* wait(this.area.keys())).includes(store);
  }

  /** Removes the log of a store. */
  *remove(store: string): AreaWork<void> {
    const pages = this.area.append ? [] : pagesIn(yield* wait(this.area.keys()), store);
    yield* wait(this.area.remove(store));
    yield* this.removePages(pages);
  }

  // ---- what was set aside ----

  /** Keeps a text under a key of its own, with the reason. Gives the key. */
  *setAside(store: string, text: string, why: string, time: number): AreaWork<string> {
    const keys = new Set(yield* wait(this.area.keys()));
    let number = time;
    while (keys.has(`${store}.aside.${number}`)) number++;
    const key = `${store}.aside.${number}`;
    // Bytes that are no UTF-8 were replaced when they were read as a text.
    if (this.area.keepBytes && text.includes('\ufffd')) yield* wait(this.area.keepBytes(store, key));
    yield* wait(this.area.write(key, seal({ floe: 'set aside', store, why, time, text }).line + '\n'));
    return key;
  }

  *asides(): AreaWork<readonly SetAside[]> {
    const keys = (yield* wait(this.area.keys())).filter((key) => ASIDE.test(key)).sort();
    const texts = yield* waitAll(keys.map((key) => this.text(key)));
    return keys.flatMap((key, i) => {
      const text = texts[i];
      return text === undefined ? [] : [asideOf(key, text)];
    });
  }

  *removeAside(key: string): AreaWork<void> {
    yield* wait(this.area.remove(key));
  }
}

/**
 * What a storage of the application's own gave for a text: many places say `null` where there is none.
 * @throws TypeError for what is neither
 */
function textIn(found: unknown): string | undefined {
  if (found === undefined || found === null) return undefined;
  if (typeof found !== 'string')
    throw new TypeError(`its read gave a value of the type ${typeof found}, where a text or undefined is asked for`);
  return found;
}

interface Page {
  readonly key: string;
  readonly id: string;
  readonly number: number;
}

function pagesIn(keys: readonly string[], store: string): readonly Page[] {
  return keys.flatMap((key) => {
    const found = PAGE.exec(key);
    return found?.[1] === store ? { key, id: found[2], number: Number(found[3]) } : [];
  });
}

const pageKey = (store: string, id: string, number: number): string => `${store}.${id}.${number}`;

export const headOf = (text: string): string => text.slice(0, HEAD);

/** Earlier versions set texts aside as they were, without a reason. */
function asideOf(key: string, text: string): SetAside {
  const store = key.slice(0, key.indexOf('.'));
  try {
    const { value } = unseal(text.trimEnd());
    const { why, time, text: kept } = value as { why: string; time: number; text: string };
    return { key, store, why, time, text: kept };
  } catch {
    return { key, store, why: 'the reason was not kept', text };
  }
}
