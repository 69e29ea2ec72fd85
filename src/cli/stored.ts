// `floe stored PLACE`: what is kept between sessions, whether it can be used, and how to mend it.
import { existsSync, readFileSync, renameSync, statSync, writeFileSync } from 'node:fs';
import colours from 'picocolors';
// What is kept may hold tables.
import '../entities/index.js';
import { encode } from '../core/encode.js';
import { messageOf } from '../core/errors.js';
import type { AnyStore } from '../core/index.js';
import { definitionOf, type StoreDefinition } from '../core/store.js';
import { memoryArea, type StoredItem } from '../persist/index.js';
import { Kept } from '../persist/kept.js';
import { firstLine, readLog, type Log } from '../persist/log.js';
import { fileArea } from '../persist/node/index.js';
import { lockFolder } from '../persist/node/lock.js';
import { listed } from '../persist/listed.js';
import { Shelf } from '../persist/shelf.js';
import { upgraded, versionOf } from '../persist/upgrade.js';
import { perform, type Work } from '../persist/work.js';
import { fileUnreadable, notStored } from './errors.js';
import { storesIn } from './model.js';
import { Columns, jsonOf, shown, type Output } from './output.js';

export interface StoredOptions {
  readonly store?: string;
  readonly model?: string;
  readonly prefix: string;
  readonly mend?: boolean;
  readonly json?: boolean;
}

interface Place {
  readonly shelf: Shelf;
  /** Writes what was changed back, where that is not done at once. */
  save(): void;
  close(): void;
}

/** What is known of one thing that is stored. */
interface Finding extends StoredItem {
  /** Whether a session can use it as it is. */
  readonly fit: boolean;
  /** In a few words what a session would do with it. */
  readonly verdict: string;
  /** The state as the model would begin with it. */
  readonly becomes?: unknown;
}

/** Gives the exit code: 1 where something cannot be used. */
export async function showStored(place: string, options: StoredOptions, out: Output): Promise<0 | 1> {
  const stores = options.model === undefined ? undefined : await storesIn(options.model);
  const { shelf, save, close } = openPlace(place, options);
  try {
    const wanted = ({ store }: StoredItem): boolean => options.store === undefined || store === options.store;
    const look = (): Finding[] =>
      now(listed(shelf))
        .filter(wanted)
        .map((item) => judge(item, stores, shelf));
    let findings = look();
    if (findings.length === 0)
      throw notStored(place, options.store === undefined ? 'it is empty' : `nothing is kept of '${options.store}'`);
    if (options.mend) {
      const broken = findings.filter(({ fit }) => !fit);
      for (const finding of broken) tellMended(finding, now(mend(shelf, finding)), out);
      if (broken.length === 0) out.talk('There is nothing to mend.');
      else {
        save();
        findings = look();
      }
    }
    if (options.json) for (const finding of findings) out.result(jsonOf(forPrograms(finding)));
    else if (options.store === undefined) list(findings, out);
    else show(findings, out);
    return findings.some(({ fit }) => !fit) ? 1 : 0;
  } finally {
    close();
  }
}

/** All that is done here is done on places that answer at once. */
const now = <T>(work: Work<T>): T => perform(work) as T;

function openPlace(place: string, { prefix, mend: mends }: StoredOptions): Place {
  if (!existsSync(place))
    throw fileUnreadable(place, Object.assign(new Error('there is no such file or folder'), { code: 'ENOENT' }));
  if (statSync(place).isDirectory()) {
    // Nobody else may write while it is mended.
    const close = mends ? lockFolder(place) : () => undefined;
    return { shelf: new Shelf(fileArea(place)), save: () => undefined, close };
  }
  let value: unknown;
  try {
    value = JSON.parse(readFileSync(place, 'utf8'));
  } catch (cause) {
    throw notStored(place, messageOf(cause));
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    throw notStored(place, 'it is not an object');
  const others: [string, string][] = [];
  const texts = new Map<string, string>();
  for (const [key, text] of Object.entries(value)) {
    if (typeof text !== 'string') throw notStored(place, `'${key}' is not a text`);
    if (key.startsWith(prefix)) texts.set(key.slice(prefix.length), text);
    else others.push([key, text]);
  }
  const save = (): void => {
    const all = [...others, ...Array.from(texts, ([key, text]) => [prefix + key, text])];
    writeFileSync(`${place}.new`, JSON.stringify(Object.fromEntries(all), undefined, 1));
    renameSync(`${place}.new`, place);
  };
  return { shelf: new Shelf(memoryArea(texts)), save, close: () => undefined };
}

function judge(item: StoredItem, stores: readonly AnyStore[] | undefined, shelf: Shelf): Finding {
  const { kind, why, version } = item;
  if (kind === 'set aside') return { ...item, fit: true, verdict: 'set aside' };
  if (version === undefined) return { ...item, fit: false, verdict: 'cannot be read' };
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
    const log = readLog(store.name, now(shelf.read(store.name))!) as Log;
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
  const kept = new Kept(store);
  return kept.of(kept.complete(store.begin(), part));
}

/** Sets the text aside, and keeps what can be used of it. Gives the key under which it is now. */
function* mend(shelf: Shelf, { store, why = 'it cannot be read', verdict }: Finding): Work<string> {
  const text = (yield* shelf.read(store))!;
  const aside = yield* shelf.setAside(store, text, why, Date.now());
  const log = verdict === 'damaged in part' ? readLog(store, text) : undefined;
  if (log && 'state' in log) {
    yield* shelf.replace(store, firstLine(store, log.version, log.sum, log.state).line);
  } else yield* shelf.remove(store);
  return aside;
}

function tellMended({ store, verdict }: Finding, aside: string, out: Output): void {
  const rest =
    verdict === 'damaged in part' ? 'the changes before the damage are kept' : 'the store will begin as declared';
  out.talk(`${colours.green('mended')}  ${store}: what was there is set aside as '${aside}'; ${rest}.`);
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
      told(finding),
    ]),
  );
  const unfit = findings.filter(({ fit }) => !fit).length;
  if (unfit > 0)
    out.talk(
      colours.dim(`\n${unfit} of ${findings.length} cannot be used as stored. --mend sets aside what is damaged.`),
    );
}

function told({ fit, verdict, why, kind }: Finding): string {
  const tone = kind === 'set aside' ? colours.yellow : fit ? colours.green : colours.red;
  return why === undefined ? tone(verdict) : `${tone(verdict)}: ${shown(why)}`;
}

function show(findings: readonly Finding[], out: Output): void {
  for (const finding of findings) {
    const { kind, state, becomes, text, key, time } = finding;
    if (kind === 'set aside') {
      out.talk(
        `\n${key!}, ${told(finding)}${time === undefined ? '' : colours.dim(`, ${new Date(time).toISOString()}`)}`,
      );
      out.result(text!.trimEnd());
      continue;
    }
    out.talk(`${shown(finding.store)}: ${told(finding)}`);
    if (state !== undefined) out.result(jsonOf(encode(becomes ?? state), 2));
  }
}
