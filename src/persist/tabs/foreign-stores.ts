// The stores that only other tabs have: the leader keeps them, without the code of the application that declares them, so
// that every store of the tabs has one order and one writer.
import {
  decode,
  definitionOf,
  isThenable,
  messageOf,
  store as declareStore,
  type StoreDefinition,
} from '../../core/internal.js';
import type { MaybeAsync } from '../area.js';
import { tabsDiffer, tabsUnfit } from '../errors.js';
import { KeptPart } from '../kept-part.js';
import type { Opened, Opening } from '../opening.js';
import type { StorageSession } from '../session.js';
import { newRecord, type StoreRecord } from '../store-record.js';
import { upgraded, versionOf } from '../upgrade.js';
import type { Standing } from './messages.js';

export class ForeignStores {
  /** What is still being read. */
  private readonly openings = new Map<string, PromiseLike<unknown>>();

  constructor(
    private readonly session: StorageSession,
    private readonly opening: Opening,
  ) {}

  /** Keeps a store for the tabs that have it. */
  keep(standing: Standing): void {
    const [name, version, line, , encoded] = standing;
    const part = decode(encoded);
    const store = declared(name, version, part);
    const kept = new KeptPart(store);
    // What the tabs share is stored, also where that is how the store began.
    const isOrdered = line > 0;
    const record: StoreRecord = { ...newRecord(store, kept, isOrdered ? undefined : part), hosted: true };
    const { records, tabs } = this.session;
    records.set(name, record);
    tabs!.add(store, kept, part, true);
    const opened = ({ onto, phase }: Opened): void => {
      if (this.session.status === 'closed' || records.get(name) !== record) return;
      record.phase = phase;
      if (isOrdered) record.unsaved = true;
      tabs!.hosted.read(name, isOrdered ? part : onto(part), standing);
      this.session.plan();
    };
    const opening = record.turns.take(() => this.opening.open(record, part));
    if (!isThenable(opening)) return opened(opening);
    const done = opening.then(opened);
    this.openings.set(name, done);
    void done.then(() => this.openings.delete(name));
  }

  drop(): void {
    const { records, tabs } = this.session;
    for (const [name, { hosted }] of records) {
      if (!hosted) continue;
      records.delete(name);
      tabs!.hosted.drop(name);
    }
  }

  /**
   * The application here has the store now, too.
   * @returns the state with which it begins; nothing where the store was not hosted
   */
  begin(store: StoreDefinition, state: unknown): { readonly state: MaybeAsync<unknown> } | undefined {
    const record = this.session.records.get(store.name);
    if (!record?.hosted) return undefined;
    const adopt = (): unknown => this.adopt(record, store, state);
    const opening = this.openings.get(store.name);
    return { state: opening ? opening.then(adopt) : adopt() };
  }

  private adopt(record: StoreRecord, store: StoreDefinition, state: unknown): unknown {
    const { name } = store;
    const { tabs } = this.session;
    const [theirs, own] = [versionOf(record.store), versionOf(store)];
    // The store of this tab is not shared, and the storage has the newer one.
    if (theirs > own) {
      this.session.report(tabsDiffer(name, own, theirs));
      return state;
    }
    const kept = new KeptPart(store);
    let next: unknown;
    try {
      next = kept.complete(state, upgraded(store, theirs, tabs!.hosted.part(name)));
    } catch (cause) {
      this.session.report(tabsUnfit(name, messageOf(cause)));
      return state;
    }
    Object.assign(record, { store, kept, hosted: false });
    if (theirs !== own) Object.assign(record, { end: undefined, unsaved: true });
    tabs!.hosted.adopt(store, kept, next);
    this.session.plan();
    return next;
  }
}

/** A store of which only the name, the version and the state are known. What an older version stored became that state. */
function declared(name: string, version: number, part: unknown): StoreDefinition {
  const upgrade = version > 1 && { upgrade: Array.from({ length: version - 1 }, () => () => part) };
  return definitionOf(declareStore(name, part as object).persisted({ version, ...upgrade }));
}
