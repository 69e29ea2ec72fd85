// Keeps the stores of a runtime in one place. It is what the application and the runtime see of that; the parts do the work:
// `stored-states.ts` reads, `saving.ts` writes, `forgetting.ts` forgets, `following.ts` hears what changed, and `opening.ts`,
// `writing.ts` and `conflicts.ts` work on one record.
import {
  type Cell,
  type Extensible,
  type FloeError,
  isThenable,
  type Listener,
  type StoreDefinition,
  type Transition,
} from '../core/internal.js';
import type { AnyStore } from '../core/index.js';
import type { StorageArea } from './area.js';
import { Conflicts } from './conflicts.js';
import { storageFailed, storageHangs } from './errors.js';
import { Following } from './following.js';
import { Forgetting } from './forgetting.js';
import { Opening } from './opening.js';
import type { Persistence, StoredItem } from './persistence.js';
import { Saving } from './saving.js';
import { StorageSession } from './session.js';
import type { Sharing } from './sharing.js';
import { StoredStates, type LateStates } from './stored-states.js';
import { allTexts, storedItems } from './stored-items.js';
import { StoredTexts } from './stored-texts.js';
import type { StoreRecord } from './store-record.js';
import type { ForeignStores } from './tabs/foreign-stores.js';
import type { StorageRequest } from './tabs/messages.js';
import type { TabRole } from './tabs/tab.js';
import { Watchdog } from './watchdog.js';
import { perform } from './work.js';
import { Writing } from './writing.js';

/** How often one flush stores again what it had to join with what other sessions stored meanwhile. */
const MOST_ROUNDS = 20;

export interface EngineOptions {
  /** Milliseconds in which changes are gathered. */
  readonly writeAfter: number;
  /** Brings in what it takes time to read. Default: the place answers at once. */
  readonly late?: LateStates | undefined;
  readonly sharing?: Sharing | undefined;
  /** Where the stores may have been kept before they moved here. */
  readonly others?: readonly StoredTexts[];
  /** Where problems are listed. */
  readonly problems?: FloeError[];
}

/** Whether something of it is not stored yet. */
const isOpen = ({ unsaved, writing, rereading }: StoreRecord): boolean => unsaved || writing || rereading;

export class PersistenceEngine implements Persistence, Listener {
  readonly storedTexts: StoredTexts;
  private readonly session: StorageSession;
  private readonly states: StoredStates;
  private readonly saving: Saving;
  private readonly forgetting: Forgetting;
  private readonly following: Following;
  private readonly watchdog: Watchdog;
  private readonly hosted: ForeignStores | undefined;
  private readonly late: LateStates | undefined;
  private readonly stopListening: () => void;

  constructor(
    host: Extensible,
    private readonly area: StorageArea,
    { writeAfter, late, sharing, others = [], problems = [] }: EngineOptions,
  ) {
    const session = (this.session = new StorageSession(host, problems));
    this.watchdog = new Watchdog(host.after, (what) => session.report(storageHangs(what)));
    const storedTexts = (this.storedTexts = new StoredTexts(this.watchdog.watched(area)));
    const opening = new Opening(session, storedTexts, others);
    const writing: Writing = new Writing(
      session,
      storedTexts,
      new Conflicts(session, storedTexts, opening, (...given) => writing.put(...given)),
    );
    this.late = sharing?.late ?? late;
    this.saving = new Saving(session, writing, storedTexts, { writeAfter, others });
    this.states = new StoredStates(session, { opening, saving: this.saving, storedTexts, late: this.late });
    this.forgetting = new Forgetting(session, storedTexts, others);
    this.following = new Following(session);
    this.hosted = sharing?.hosted(session, opening);
    const { states, saving, forgetting, watchdog } = this;
    const flush = (): Promise<boolean> => this.flushOwn();
    const { hosted } = this;
    session.tabs = sharing?.tabs(session, { hosted, states, saving, forgetting, opening, watchdog, flush });
    const stops = [
      area.beforeEnd?.(() => void this.flush()),
      area.backAgain?.(() => {
        states.wake();
        saving.tryAgain();
      }),
      area.watch?.((key) => saving.writtenElsewhere(key)),
    ];
    this.stopListening = () => {
      for (const stop of stops) stop?.();
    };
  }

  get tab(): TabRole {
    return this.session.tabs?.role ?? 'alone';
  }
  get status(): 'reading' | 'ready' | 'closed' {
    return this.session.status;
  }
  get problems(): readonly FloeError[] {
    return this.session.problems;
  }
  get ready(): Promise<void> {
    return this.states.ready;
  }

  // ---- what the runtime says ----

  transition(transition: Transition): void {
    this.following.transition(transition);
  }
  travelled(live: boolean): void {
    this.following.travelled(live);
  }
  branched(): void {
    this.following.branched();
  }

  begin(store: StoreDefinition, state: unknown): unknown {
    if (!store.kept) return state;
    const hosted = this.hosted?.begin(store, state);
    if (hosted) {
      // What was done on top of it meanwhile is to be ordered.
      if (isThenable(hosted.state))
        void this.states.whileReading(hosted.state, () => this.session.tabs?.look({ fact: 'rehydrated' }, true));
      return hosted.state;
    }
    return this.states.begin(store, state);
  }

  fill(cell: Cell, stored: PromiseLike<unknown>): void {
    this.session.host.use(this.late!).fill(cell, stored);
  }

  /** @returns whether everything could be read */
  async rehydrate(...stores: AnyStore[]): Promise<boolean> {
    return this.watchdog.limit(this.rehydrateAll(this.session.recordsOf(stores)), false);
  }

  private async rehydrateAll(records: readonly StoreRecord[]): Promise<boolean> {
    await this.ready;
    return (await this.leaveToWriter('rehydrate', records)) ?? this.states.rehydrate(records);
  }

  get pending(): readonly string[] {
    const isElsewhere = ({ store }: StoreRecord): boolean => this.session.tabs?.isElsewhere(store.name) === true;
    const open = this.session.all.filter((record) => isOpen(record) && !isElsewhere(record));
    return open.map(({ store }) => store.name);
  }

  async flush(): Promise<boolean> {
    // What a transaction has done so far may be rolled back.
    if (this.session.host.transaction) await new Promise<void>((resolve) => this.session.host.later(resolve));
    this.saving.stopWaiting();
    const own = this.watchdog.limit(this.flushOwn(), false);
    const { session } = this;
    const { tabs } = session;
    if (!tabs || session.isClosed) return own;
    // A leader may give way to another one meanwhile: then that one is asked.
    if (tabs.role === 'leading' && (!(await own) || tabs.role === 'leading')) return own;
    const [a, b] = await Promise.all([own, tabs.request('flush', [])]);
    // This tab may have heard of the leader only now: what is out of every order it stores itself.
    return a && b && this.watchdog.limit(this.flushOwn(), false);
  }

  private async flushOwn(): Promise<boolean> {
    if (this.session.reading > 0) await this.ready;
    // Without a wait where none is needed: the session may be about to end.
    if (this.session.isUnread && !(await this.states.readUnread())) return false;
    for (let round = 0; ; round++) {
      await this.saving.saveEverything();
      for (const { joining } of this.session.records.values()) await joining;
      const open = this.session.all.filter((record) => isOpen(record) && this.session.mayWrite(record));
      if (open.length === 0) return true;
      // What was joined with another session's state is stored in the next round; another one may store meanwhile. A write
      // that began since, for a later change, has taken over what this one could not store.
      const isLost = ({ writing, phase, failure }: StoreRecord): boolean =>
        !writing && (phase !== 'ready' || failure !== undefined);
      if (round >= MOST_ROUNDS || open.some(isLost)) return false;
    }
  }

  async forget(...stores: AnyStore[]): Promise<boolean> {
    const records = this.session.recordsOf(stores);
    const began = this.forgetting.beginAgain(records);
    const forgotten = async (): Promise<boolean> =>
      (await this.leaveToWriter('forget', records)) ?? this.forgetting.forget(records, began);
    return this.watchdog.limit(forgotten(), false);
  }

  async list(): Promise<readonly StoredItem[]> {
    return perform(storedItems(this.storedTexts));
  }

  async texts(): Promise<Readonly<Record<string, string>>> {
    return perform(allTexts(this.storedTexts));
  }

  /** What became of it in the tab that writes; nothing where that is this one. */
  private async leaveToWriter(what: StorageRequest, records: readonly StoreRecord[]): Promise<boolean | undefined> {
    if (!this.session.tabs || this.session.isClosed || records.every((record) => this.session.mayWrite(record)))
      return undefined;
    return this.session.tabs.request(
      what,
      records.map(({ store }) => store.name),
    );
  }

  report(problem: FloeError): void {
    this.session.report(problem);
  }

  watch(listener: () => void): () => void {
    return this.session.watch(listener);
  }

  close(): void | PromiseLike<void> {
    this.saving.stopWaiting();
    // Memory does not take over any more what was joined with it; what was changed meanwhile goes on top of that.
    for (const record of this.session.records.values()) if (record.over) record.phase = 'ready';
    this.stopListening();
    this.session.isClosed = true;
    const { tabs } = this.session;
    const close = (): void => {
      tabs?.leave();
      this.area.close?.();
      // Only now may another tab write.
      tabs?.close();
    };
    const isOpen = this.session.reading > 0 || tabs?.isOpen === true || this.session.isUnread;
    const saving = isOpen ? this.saveLast() : this.saving.saveEverything();
    if (isThenable(saving)) {
      if (!isOpen) tabs?.leave();
      return this.watchdog.limit(saving, undefined).then(close);
    }
    close();
    return undefined;
  }

  /** What was done on top of a state that is still being read, or before the leader was known, is stored as soon as it can be. */
  private async saveLast(): Promise<void> {
    await this.ready;
    const isRead = await this.states.readUnread();
    // In order is only what was read.
    if (isRead) await this.session.tabs?.settled();
    await this.saving.saveEverything();
    if (isRead) return;
    const unread = this.session.all.filter(({ phase, unsaved }) => phase === 'unread' && unsaved);
    for (const { store } of unread)
      this.session.report(
        storageFailed(`'${store.name}' could not be stored`, new Error('what is stored could not be read')),
      );
  }
}
