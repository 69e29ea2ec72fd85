// `floe stored PLACE`: what is kept between sessions, whether it can be used, and how to mend it.
import { copyFileSync, existsSync, mkdirSync, readFileSync, renameSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import colours from 'picocolors';
// What is kept may hold tables.
import '../entities/index.js';
import { definitionOf, encode, messageOf, type StoreDefinition } from '../core/internal.js';
import type { AnyStore } from '../core/index.js';
import { memoryArea, type StoredItem } from '../persist/index.js';
import {
  firstLine,
  headOf,
  KeptPart,
  lineageOf,
  storedItems,
  type Log,
  perform,
  readLog,
  StoredTexts,
  upgraded,
  versionOf,
  type AreaWork,
} from '../persist/internal.js';
import { fileArea, FolderLock, PRIVATE } from '../persist/node/internal.js';
import { badOption, fileUnreadable, notStored } from './errors.js';
import { storesIn } from './model.js';
import { Columns, jsonOf, shown, type Output } from './output.js';

export interface StoredOptions {
  readonly store?: string;
  readonly model?: string;
  readonly prefix?: string;
  readonly mend?: boolean;
  readonly dryRun?: boolean;
  readonly json?: boolean;
}

interface StoredPlace {
  readonly storedTexts: StoredTexts;
  /** Makes sure that no other process writes there meanwhile. Returns a function that ends that. */
  lock(): () => void;
  /** Copies what is to be mended as it is, byte for byte, before anything is written. Gives the place of the copies. */
  keep(keys: readonly string[]): string;
  /** Writes what was changed back, where that is not done at once. */
  save(): void;
}

/** What is known of one thing that is stored. */
interface Finding extends Omit<StoredItem, 'kind'> {
  readonly kind: StoredItem['kind'] | 'foreign';
  /** Whether a session can use it as it is. */
  readonly fit: boolean;
  /** In a few words what a session would do with it. */
  readonly verdict: string;
  /** The state as the model would begin with it. */
  readonly becomes?: unknown;
}

/** Gives the exit code: 1 where something cannot be used. */
export async function showStored(path: string, options: StoredOptions, out: Output): Promise<0 | 1> {
  const { store: only, model, mend: mends, dryRun = false, json } = options;
  if (dryRun && !mends) throw badOption('--dry-run', 'alone', 'effect with --mend');
  const stores = model === undefined ? undefined : await storesIn(model, out);
  const place = openPlace(path, options, out);
  const { storedTexts } = place;
  const look = (): Finding[] =>
    now(storedItems(storedTexts))
      .filter(({ store }) => only === undefined || store === only)
      .map((item) => judge(item, stores, storedTexts));
  let findings = look();
  if (!findings.some(({ kind }) => kind !== 'foreign'))
    throw notStored(path, only === undefined ? 'nothing there has its marks' : `nothing is kept of '${only}'`);
  const broken = findings.filter(({ fit }) => !fit);
  if (mends && broken.length === 0) out.talk('There is nothing to mend.');
  else if (mends && dryRun)
    for (const finding of broken) out.talk(`${colours.yellow('would mend')}  ${planOf(finding)}`);
  else if (mends) {
    const unlock = place.lock();
    try {
      // Its owner may have gone on until now.
      const broken = look().filter(({ fit }) => !fit);
      const kept = place.keep(broken.map(({ store }) => store));
      for (const finding of broken) tellMended(finding, now(mend(storedTexts, finding)), out);
      place.save();
      out.talk(colours.dim(`What was there is kept as it was in ${kept}.`));
    } finally {
      unlock();
    }
    findings = look();
  }
  if (json) for (const finding of findings) out.result(jsonOf(forPrograms(finding)));
  else if (only === undefined) list(findings, out);
  else show(findings, out);
  return findings.some(({ fit }) => !fit) ? 1 : 0;
}

/** All that is done here is done on places that answer at once. */
const now = <T>(work: AreaWork<T>): T => perform(work) as T;

function openPlace(path: string, options: StoredOptions, out: Output): StoredPlace {
  if (!existsSync(path))
    throw fileUnreadable(path, Object.assign(new Error('there is no such file or folder'), { code: 'ENOENT' }));
  return statSync(path).isDirectory() ? folderAt(path) : exportAt(path, options, out);
}

const stamp = (): string => new Date().toISOString().replaceAll(':', '-');

/** A folder of `fileStorage`. */
function folderAt(path: string): StoredPlace {
  return {
    storedTexts: new StoredTexts(fileArea(path)),
    lock() {
      const lock = new FolderLock(path, PRIVATE);
      lock.ensure();
      return () => lock.release();
    },
    keep(stores) {
      const copies = join(path, `mended-${stamp()}`);
      mkdirSync(copies);
      for (const store of stores) {
        const name = `${encodeURIComponent(store)}.jsonl`;
        if (existsSync(join(path, name))) copyFileSync(join(path, name), join(copies, name));
      }
      return copies;
    },
    save: () => undefined,
  };
}

/** A file of keys and texts, as `persistence.texts()` gives them, or a whole storage of a browser. */
function exportAt(path: string, options: StoredOptions, out: Output): StoredPlace {
  let value: unknown;
  try {
    value = JSON.parse(readFileSync(path, 'utf8'));
  } catch (cause) {
    throw notStored(path, messageOf(cause));
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value)) throw notStored(path, 'it is not an object');
  const entries = Object.entries(value as Record<string, unknown>);
  for (const [key, text] of entries) if (typeof text !== 'string') throw notStored(path, `'${key}' is not a text`);
  const all = entries as [string, string][];
  const prefix = options.prefix ?? prefixOf(path, all);
  if (options.prefix === undefined && prefix !== '') out.talk(colours.dim(`Its keys begin with '${shown(prefix)}'.`));
  const texts = new Map(
    all.flatMap(([key, text]) => (key.startsWith(prefix) ? [[key.slice(prefix.length), text]] : [])),
  );
  return {
    storedTexts: new StoredTexts(memoryArea(texts)),
    lock: () => () => undefined,
    keep() {
      const copy = `${path}.${stamp()}`;
      copyFileSync(path, copy);
      return copy;
    },
    save() {
      // What is not Floe's stays where it is.
      const kept = all.flatMap(([key, text]) => {
        const own = key.startsWith(prefix) ? texts.get(key.slice(prefix.length)) : text;
        return own === undefined ? [] : [[key, own] as const];
      });
      const known = new Set(all.map(([key]) => key));
      const added = Array.from(texts, ([key, text]) => [prefix + key, text] as const).filter(
        ([key]) => !known.has(key),
      );
      writeFileSync(`${path}.new`, JSON.stringify(Object.fromEntries([...kept, ...added]), undefined, 1));
      renameSync(`${path}.new`, path);
    },
  };
}

/** What stands before the names of the stores in the keys of an export, as the texts themselves say. */
function prefixOf(path: string, entries: readonly (readonly [string, string])[]): string {
  const found = new Set<string>();
  for (const [key, text] of entries) {
    const store = /^\{(?:"sum":"[0-9a-f]{8}",)?"floe":"stored",(?:[^{}]*?)"store":"([^"]+)"/.exec(text)?.[1];
    if (store !== undefined && key.endsWith(store)) found.add(key.slice(0, -store.length));
  }
  if (found.size > 1)
    throw notStored(
      path,
      `its keys begin with ${Array.from(found, (one) => `'${one}'`).join(', ')}: choose one with --prefix`,
    );
  const [prefix = ''] = found;
  return prefix;
}

/** A text is Floe's by its own marks: the checksum at its beginning, or what it says of itself. One of them survives any damage of a byte. */
const isMarked = (text: string): boolean =>
  /"floe":"(?:stored|set aside)"/.test(text.slice(0, 200)) || HEADS.some((head) => isAlmost(text, head));

/** How a text of Floe begins, whatever its checksum. */
const HEADS = ['{"sum":"########","floe":"stored"', '{"sum":"########","floe":"set aside"'];

/** Whether a text begins so, but for one byte. */
function isAlmost(text: string, head: string): boolean {
  const isHex = (letter: string): boolean => /[0-9a-f]/.test(letter);
  const wrong = Array.from(head).filter((letter, i) => (letter === '#' ? !isHex(text.charAt(i)) : letter !== text[i]));
  return wrong.length <= 1;
}

function judge(item: StoredItem, stores: readonly AnyStore[] | undefined, storedTexts: StoredTexts): Finding {
  const { kind, why, version } = item;
  if (kind === 'set aside') return { ...item, fit: true, verdict: 'set aside' };
  if (item.newer !== undefined)
    return { ...item, fit: true, verdict: `newer than this floe (${item.newer}): left untouched` };
  if (version === undefined) {
    const isOwn = isMarked(now(storedTexts.read(item.store)) ?? '');
    if (!isOwn)
      return { store: item.store, size: item.size, kind: 'foreign', fit: true, verdict: 'not of Floe: left alone' };
    return { ...item, fit: false, verdict: 'cannot be read' };
  }
  if (why !== undefined) return { ...item, fit: false, verdict: 'damaged in part' };
  if (!stores) return { ...item, fit: true, verdict: 'whole' };
  const store = stores.map(definitionOf).find(({ name }) => name === item.store);
  if (!store) return { ...item, fit: true, verdict: 'no such store in the model' };
  if (!store.kept) return { ...item, fit: true, verdict: 'no longer kept by the model' };
  const present = versionOf(store);
  if (version > present)
    return { ...item, fit: true, verdict: `newer than version ${present} of the model: left untouched` };
  try {
    // Read once more: an upgrade may edit what it is given.
    const log = readLog(store.name, now(storedTexts.read(store.name))!) as Log;
    const becomes = completed(store, upgraded(store, version, log.state));
    return {
      ...item,
      becomes,
      fit: true,
      verdict: version === present ? 'fits' : `fits after its upgrade to version ${present}`,
    };
  } catch (cause) {
    return { ...item, fit: false, verdict: 'does not fit', why: messageOf(cause) };
  }
}

function completed(store: StoreDefinition, part: unknown): unknown {
  const kept = new KeptPart(store);
  return kept.of(kept.complete(store.begin(), part));
}

/** Sets the text aside, and keeps what can be used of it. Gives the key under which it is now. */
function* mend(storedTexts: StoredTexts, { store, why = 'it cannot be read', verdict }: Finding): AreaWork<string> {
  const text = (yield* storedTexts.read(store))!;
  const aside = yield* storedTexts.setAside(store, text, why, Date.now());
  const log = verdict === 'damaged in part' ? readLog(store, text) : undefined;
  if (log && 'state' in log) {
    const { line } = firstLine({ store, version: log.version, by: ['command', 1] }, lineageOf(text).sums, log.state);
    yield* storedTexts.replace({ store: { name: store }, head: headOf(text), end: undefined }, line);
  } else yield* storedTexts.remove(store);
  return aside;
}

const planOf = ({ store, verdict }: Finding): string =>
  verdict === 'damaged in part'
    ? `${store}: sets the whole text aside, and keeps the changes before the damage.`
    : `${store}: sets the whole text aside; the store begins as declared.`;

function tellMended({ store, verdict }: Finding, aside: string, out: Output): void {
  const rest =
    verdict === 'damaged in part' ? 'the changes before the damage are kept' : 'the store will begin as declared';
  out.talk(`${colours.green('mended')}  ${shown(store)}: what was there is set aside as '${aside}'; ${rest}.`);
}

// ---- telling ----

function forPrograms({ state, becomes, ...finding }: Finding): object {
  return {
    ...finding,
    ...(state !== undefined && { state: encode(state) }),
    ...(becomes !== undefined && { becomes: encode(becomes) }),
  };
}

const sizeOf = (characters: number): string =>
  characters < 10_000 ? String(characters) : `${(characters / 1000).toFixed(characters < 1e6 ? 1 : 0)} k`;

function list(findings: readonly Finding[], out: Output): void {
  const columns = new Columns(
    out,
    ['store', 'version', 'length', 'changes', ''],
    ['left', 'right', 'right', 'right', 'left'],
  );
  columns.write(
    findings.map((finding) => [
      finding.kind === 'set aside' ? colours.dim(shown(finding.key!)) : shown(finding.store),
      String(finding.version ?? ''),
      sizeOf(finding.size),
      String(finding.changes ?? ''),
      described(finding),
    ]),
  );
  const unfit = findings.filter(({ fit }) => !fit).length;
  if (unfit > 0)
    out.talk(
      colours.dim(`\n${unfit} of ${findings.length} cannot be used as stored. --mend sets aside what is damaged.`),
    );
}

function described({ fit, verdict, why, kind }: Finding): string {
  const tone =
    kind === 'foreign' ? colours.dim : kind === 'set aside' ? colours.yellow : fit ? colours.green : colours.red;
  return why === undefined ? tone(verdict) : `${tone(verdict)}: ${shown(why)}`;
}

function show(findings: readonly Finding[], out: Output): void {
  for (const finding of findings) {
    const { kind, state, becomes, text, key, time } = finding;
    if (kind === 'set aside') {
      out.talk(
        `\n${key!}, ${described(finding)}${time === undefined ? '' : colours.dim(`, ${new Date(time).toISOString()}`)}`,
      );
      out.result(text!.trimEnd());
      continue;
    }
    out.talk(`${shown(finding.store)}: ${described(finding)}`);
    if (state !== undefined) out.result(jsonOf(encode(becomes ?? state), 2));
  }
}
