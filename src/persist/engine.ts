// Keeps the stores of a runtime in one place: opens a store's record when the store joins, writes what changed, tries again
// what failed, and reports problems. `opening.ts`, `writing.ts` and `conflicts.ts` do the work on one record.
import {
  type Cell,
  confirmedStates,
  definitionOf,
  type Extensible,
  type FloeError,
  isThenable,
  type Listener,
  messageOf,
  type StoreChange,
  type StoreDefinition,
  storesOf,
  takeIn,
  type Transition,
} from '../core/internal.js';
import type { AnyStore } from '../core/index.js';
import type { MaybeAsync, StorageArea } from './area.js';
import { Conflicts, historyIn, type ConflictHost } from './conflicts.js';
import { storageFailed, storageHangs } from './errors.js';
import { mergeSessions } from './session-merge.js';
import { KeptPart, sameParts } from './kept-part.js';
import { allTexts, forget, storedItems } from './stored-items.js';
import { Opening, unchanged, type Opened } from './opening.js';
import { Watchdog } from './watchdog.js';
import type { Persistence, StoredItem } from './persistence.js';
import { StoredTexts } from './stored-texts.js';
import { newRecord, NOTHING, type StoreRecord } from './store-record.js';
import type { LateStates, Sharing } from './sharing.js';
import type { ForeignStores, ForeignStoresHost } from './tabs/foreign-stores.js';
import type { StorageRequest } from './tabs/messages.js';
import type { Parts } from './tabs/pending.js';
import type { TabRole, TabsHost } from './tabs/tab.js';
import type { Tabs } from './tabs/tabs.js';
import { perform, wait, waitAll, type Work } from './work.js';
import { Writing } from './writing.js';

/** Milliseconds after which a failed write is tried again; twice as many each time. */
const FIRST_PAUSE = 1000;
const LONGEST_PAUSE = 30_000;

/** As many turns of the queue of promises after a state was read, the runtime has made it the live one. */
const TURNS = 4;

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

export class PersistenceEngine implements Persistence, Listener, TabsHost, ConflictHost, ForeignStoresHost {
  readonly problems: FloeError[];
  readonly storedTexts: StoredTexts;
  readonly records = new Map<string, StoreRecord>();
  private readonly watchers = new Set<() => void>();
  private readonly stopListening: () => void;
  private readonly opening: Opening;
  private readonly writing: Writing;
  private readonly watchdog: Watchdog;
  readonly tabs: Tabs | undefined;
  readonly hosted: ForeignStores | undefined;
  private readonly late: LateStates | undefined;
  private readonly writeAfter: number;
  private readonly others: readonly StoredTexts[];
  private past = false;
  private closed = false;
  private reading = 0;
  /** Names this session in what it writes. */
  readonly session = `${Date.now().toString(36)}${Math.random().toString(36).slice(2, 8)}`;
  private writes = 0;
  /** Wakes those that wait to read again what could not be read. */
  private readonly wakes = new Set<() => void>();
  private whenReady: { readonly promise: Promise<void>; readonly resolve: () => void } | undefined;
  /** Stops the write that is planned. */
  private planned: (() => void) | undefined;

  constructor(
    private readonly host: Extensible,
    private readonly area: StorageArea,
    { writeAfter, late, sharing, others = [], problems = [] }: EngineOptions,
  ) {
    this.problems = problems;
    this.writeAfter = writeAfter;
    this.others = others;
    this.watchdog = new Watchdog(host.after, (what) => this.report(storageHangs(what)));
    this.storedTexts = new StoredTexts(this.watchdog.watched(area));
    this.opening = new Opening(this, this.storedTexts, others);
    this.writing = new Writing(this, this.storedTexts, new Conflicts(this, this.storedTexts, this.opening));
    this.late = sharing?.late ?? late;
    this.hosted = sharing?.hosted(this, this.opening);
    this.tabs = sharing?.tabs(host, this);
    const stops = [
      area.beforeEnd?.(() => void this.flush()),
      area.backAgain?.(() => this.tryAgain()),
      area.watch?.((key) => this.writtenElsewhere(key)),
    ];
    this.stopListening = () => {
      for (const stop of stops) stop?.();
    };
  }

  get tab(): TabRole {
    return this.tabs?.role ?? 'alone';
  }

  get status(): 'reading' | 'ready' | 'closed' {
    return this.closed ? 'closed' : this.reading > 0 ? 'reading' : 'ready';
  }

  get ready(): Promise<void> {
    if (this.reading === 0) return Promise.resolve();
    if (!this.whenReady) {
      let resolve = (): void => undefined;
      const promise = new Promise<void>((done) => (resolve = done));
      this.whenReady = { promise, resolve };
    }
    return this.whenReady.promise;
  }

  // ---- what a record needs ----

  nextWrite(): number {
    return ++this.writes;
  }

  now(): number {
    return this.host.now();
  }

  stateOf({ store, hosted }: StoreRecord): unknown {
    return hosted ? this.tabs!.hostedPart(store.name) : confirmedStates(this.host)[store.name];
  }

  takeIn(entries: readonly (readonly [record: StoreRecord, state: unknown])[]): void {
    const states = confirmedStates(this.host);
    const changes: StoreChange[] = [];
    for (const [{ store, hosted }, after] of entries)
      if (hosted) this.tabs!.changeHosted(store.name, after);
      else changes.push({ store, before: states[store.name], after });
    if (changes.length > 0) takeIn(this.host, changes, 'rehydrated', { by: 'storage' });
  }

  put(record: StoreRecord, part: unknown, joining?: { readonly own: unknown }): Work<void> {
    return this.writing.put(record, part, joining);
  }

  // ---- reading ----

  begin(store: StoreDefinition, state: unknown): unknown {
    if (!store.kept) return state;
    const hosted = this.hosted?.begin(store, state);
    if (hosted) {
      // What was done on top of it meanwhile is to be ordered.
      if (isThenable(hosted.state))
        void this.whileReading(hosted.state, () => this.tabs?.look({ fact: 'rehydrated' }, true));
      return hosted.state;
    }
    const kept = new KeptPart(store);
    const record = newRecord(store, kept, kept.of(state));
    this.records.set(store.name, record);
    this.tabs?.add(store, kept, state);
    const begun = record.turns.take(() => this.opening.first(record, state));
    const isUnread = !isThenable(begun) && begun.phase === 'unread' && this.late !== undefined;
    if (!isThenable(begun) && !isUnread) {
      record.phase = begun.phase;
      const stored = begun.onto(state);
      this.tabs?.read(store.name, stored, stored);
      this.removeMoved();
      return stored;
    }
    const first = Promise.resolve(begun);
    const read = first.then((opened) => (opened.phase === 'unread' ? this.readLater(record, state) : opened));
    const taken = ({ onto, phase }: Opened, isLate: boolean): void => {
      record.phase = phase;
      this.tabs?.read(store.name, onto(state), confirmedStates(this.host)[store.name]);
      this.removeMoved();
      // What was done meanwhile is not stored.
      if (isLate) record.unsaved = record.changedAfterForget = true;
      if (record.unsaved) this.plan();
    };
    // The application goes on without what cannot be read: it comes as soon as it can.
    void this.whileReading(first, (opened) => {
      if (opened.phase !== 'unread') return taken(opened, false);
      record.phase = 'unread';
      void this.whenFilled(read, (late) => taken(late, true));
    });
    return read.then(({ onto }) => onto(state));
  }

  /** Tries again, by itself, until the text of a store can be read. */
  private async readLater(record: StoreRecord, state: unknown): Promise<Opened> {
    for (let pause = FIRST_PAUSE; ; pause = Math.min(pause * 2, LONGEST_PAUSE)) {
      await this.pause(pause);
      const opened = await record.turns.take(() => this.opening.first(record, state));
      if (opened.phase !== 'unread') return opened;
    }
  }

  /** Fulfilled after some milliseconds, or when something asks for what could not be read. */
  private async pause(ms: number): Promise<void> {
    await new Promise<void>((resolve) => {
      const wake = (): void => {
        stop();
        this.wakes.delete(wake);
        resolve();
      };
      const stop = this.closed ? () => undefined : this.host.after(ms, wake);
      this.wakes.add(wake);
    });
  }

  /** Has what could not be read be read again now. Returns whether everything is read then. */
  private async readUnread(): Promise<boolean> {
    if (!this.isUnread) return true;
    for (const wake of [...this.wakes]) wake();
    // The try begins a moment later, and what it reads is taken in after it.
    for (let turns = 0; turns < 2; turns++) await Promise.resolve();
    for (const record of this.records.values()) if (record.phase === 'unread') await record.turns.last;
    for (let turns = 0; turns < 2 * TURNS; turns++) await Promise.resolve();
    return !this.isUnread;
  }

  /** Something that is stored could not be read yet. */
  private get isUnread(): boolean {
    return [...this.records.values()].some(({ phase }) => phase === 'unread');
  }

  /** The runtime makes a state the live one some turns after it is there. */
  private async whenFilled<T>(read: PromiseLike<T>, then: (read: T) => void): Promise<void> {
    const value = await read;
    for (let turns = 0; turns < TURNS; turns++) await Promise.resolve();
    then(value);
    this.tell();
  }

  fill(cell: Cell, stored: PromiseLike<unknown>): void {
    this.host.use(this.late!).fill(cell, stored);
  }

  /** The runtime makes the stored state the live one as soon as it is there; only then may it be written. */
  private async whileReading<T>(begun: PromiseLike<T>, then: (read: T) => void = () => undefined): Promise<void> {
    this.reading++;
    const read = await begun;
    for (let turns = 0; turns < TURNS; turns++) await Promise.resolve();
    this.reading--;
    then(read);
    this.tell();
    if (this.reading > 0) return;
    this.whenReady?.resolve();
    this.whenReady = undefined;
  }

  /** @returns whether everything could be read */
  async rehydrate(...stores: AnyStore[]): Promise<boolean> {
    return this.watchdog.limit(this.rehydrateAll(this.recordsOf(stores)), false);
  }

  private async rehydrateAll(records: readonly StoreRecord[]): Promise<boolean> {
    await this.ready;
    return (await this.leaveToWriter('rehydrate', records)) ?? this.rehydrateHere(records);
  }

  private async rehydrateHere(records: readonly StoreRecord[]): Promise<boolean> {
    await this.readUnread();
    let isWhole = true;
    for (const record of records) {
      if (record.joining) await record.joining;
      // What could never be read is taken in by who waits for it.
      if (record.phase !== 'unread') await record.turns.take(() => this.readOnTop(record));
      isWhole &&= record.phase === 'ready';
    }
    this.tell();
    return isWhole;
  }

  /** Reads what is stored. Until then it is not known whether what was unsaved is stored, and a flush waits. */
  private *openAgain(record: StoreRecord, state: unknown): Work<Opened> {
    record.isTouched = false;
    record.rereading = record.unsaved;
    try {
      return yield* this.opening.open(record, state);
    } finally {
      record.rereading = false;
    }
  }

  /** Reads what is stored. What this session changed since it read or wrote last goes on top of it. */
  private *readOnTop(record: StoreRecord): Work<void> {
    const { store, kept, phase: before, began, stored, unsaved: wasUnsaved, head, end, lineage, history } = record;
    const { onto, phase } = yield* this.openAgain(record, this.stateOf(record));
    const unsaved = wasUnsaved || record.isTouched;
    if (phase === 'unread') {
      // It is as it was, but that it could not be read.
      Object.assign(record, { phase: before, stored, unsaved, head, end, lineage, history });
      return;
    }
    record.phase = phase;
    if (this.closed || onto === unchanged) {
      record.unsaved ||= unsaved;
      return;
    }
    const now = this.stateOf(record);
    const [own, other] = [kept.of(now), kept.of(onto(now))];
    const common = stored === NOTHING ? began : stored;
    // A reset is no change that is to be stored: what is stored takes its place again.
    const { result } = unsaved ? mergeSessions(common, own, other, store.kept?.onConflict) : { result: other };
    this.takeIn([[record, kept.exactly(now, result)]]);
    if (sameParts(result, other)) return;
    record.unsaved = true;
    this.plan();
  }

  // ---- what happens ----

  transition(transition: Transition): void {
    const { fact, changed, unseen, action, outcome } = transition;
    // A store whose whole must be written is written as soon as it has joined.
    if (fact === 'initial' || fact === 'joined') return this.plan();
    if (fact === 'renewed') this.renewAll();
    // An action in the past has begun a branch: it is the present now.
    const isBranch = this.past && !unseen;
    if (isBranch) this.past = false;
    // What was left out while it was open may count from now on; and what changed nothing may change the confirmed state.
    // An action that was rolled back did neither; what the transaction did besides comes with its other actions.
    const counts = fact !== undefined || action === undefined || outcome !== 'reverted';
    const mayDiffer = this.host.attending !== undefined || fact === 'confirmed' || fact === 'reverted';
    const all = isBranch || (counts && mayDiffer);
    if (all) this.doubtAll();
    if (fact !== 'rehydrated' && fact !== 'reset')
      for (const { store } of changed) {
        const record = this.records.get(store.name);
        if (record) record.unsaved = record.isTouched = record.changedAfterForget = true;
      }
    this.tabs?.look(transition, all, isBranch);
    this.plan();
  }

  travelled(live: boolean): void {
    this.past = !live;
    // Perhaps not back from the past, but on another branch. What is the same is not written again.
    if (live) this.leap();
  }

  branched(): void {
    const wasPast = this.past;
    // A transaction that begins the branch may be rolled back: then no transition follows.
    void Promise.resolve().then(() => {
      if (!wasPast || !this.past || this.closed || this.host.views.live !== this.host.views.screen) return;
      this.past = false;
      this.leap();
    });
  }

  /** Something else is live from now on. */
  private leap(): void {
    this.doubtAll();
    this.tabs?.look({}, true, true);
    this.plan();
  }

  /** Takes what a reloaded module says of what is kept: that is written as a whole. */
  private renewAll(): void {
    for (const store of storesOf(this.host)) {
      const record = this.records.get(store.name);
      if (!record || record.store === store) continue;
      if (!store.kept) {
        this.records.delete(store.name);
        continue;
      }
      record.store = store;
      record.kept = new KeptPart(store);
      record.end = undefined;
      record.unsaved = true;
    }
  }

  private doubtAll(): void {
    for (const record of this.records.values()) record.unsaved = record.isTouched = true;
  }

  // ---- writing ----

  /** Writes what is unsaved, now or when more was gathered. */
  plan(): void {
    const { writeAfter: ms } = this;
    if (ms === 0) return this.saveAll();
    if (this.planned || ms === Infinity || this.closed) return;
    for (const record of this.records.values()) {
      if (!this.isDue(record)) continue;
      this.planned = this.host.after(ms, () => {
        this.planned = undefined;
        this.saveAll();
      });
      return;
    }
  }

  /** A store whose last write failed waits until it is tried again. */
  private isDue(record: StoreRecord): boolean {
    return record.unsaved && record.phase === 'ready' && !record.failure?.stop && this.mayWrite(record);
  }

  /** Of the tabs that share a store only the leader writes it. */
  private mayWrite({ store }: StoreRecord): boolean {
    return !this.tabs || this.tabs.mayWrite(store.name);
  }

  private saveAll(): void {
    for (const record of this.records.values()) if (this.isDue(record)) void this.save(record);
  }

  private saveEverything(): MaybeAsync<unknown> {
    return perform(waitAll(Array.from(this.records.values(), (record) => this.save(record))));
  }

  private save(record: StoreRecord): MaybeAsync<void> {
    if (record.phase !== 'ready' || record.expected || !this.mayWrite(record))
      return record.turns.last as MaybeAsync<void>;
    record.expected = true;
    return record.turns.take(() => {
      record.expected = false;
      return this.write(record);
    });
  }

  private *write(record: StoreRecord): Work<void> {
    try {
      const wrote = yield* this.writing.write(record, () => this.mayWrite(record));
      if (!wrote && record.unsaved) return;
      record.failure?.stop?.();
      record.failure = undefined;
      if (wrote) {
        if (record.moved) yield* this.removeCopies(record);
        this.tell();
      }
    } catch (cause) {
      this.failed(record, cause);
    }
  }

  private failed(record: StoreRecord, cause: unknown): void {
    const why = messageOf(cause);
    const isKnown = Array.from(this.records.values()).some(({ failure }) => failure?.why === why);
    record.failure?.stop?.();
    const pause = Math.min(Math.max(FIRST_PAUSE, (record.failure?.pause ?? 0) * 2), LONGEST_PAUSE);
    const again = (): void => {
      record.failure = { why, pause, stop: undefined };
      void this.save(record);
    };
    const waits = this.writeAfter !== Infinity && !this.closed;
    record.failure = { why, pause, stop: waits ? this.host.after(pause, again) : undefined };
    if (!isKnown) this.report(storageFailed(`'${record.store.name}' could not be stored`, cause));
  }

  /** From now on nothing waits, neither to gather more nor after a failure. */
  private stopWaiting(): void {
    this.planned?.();
    this.planned = undefined;
    for (const record of this.records.values()) {
      record.failure?.stop?.();
      if (record.failure) record.failure = { ...record.failure, pause: 0, stop: undefined };
    }
  }

  /** The place can be reached again: what could not be stored is stored without waiting. */
  private tryAgain(): void {
    for (const wake of [...this.wakes]) wake();
    if (this.closed || !Array.from(this.records.values()).some(({ failure }) => failure)) return;
    this.stopWaiting();
    this.saveAll();
  }

  /** Another writer stored a store: perhaps without having seen what this session has just written. */
  private writtenElsewhere(key: string): void {
    const record = this.records.get(key.split('.')[0]);
    if (this.closed || !record || record.history.length === 0 || !this.mayWrite(record)) return;
    // Memory takes over what was joined just now.
    if (record.joining) void record.joining.then(() => this.writtenElsewhere(key));
    else if (record.phase === 'ready') void record.turns.take(() => this.lookAfter(record));
  }

  private *lookAfter(record: StoreRecord): Work<void> {
    const { store, history } = record;
    if (history.length === 0) return;
    try {
      const text = yield* this.storedTexts.read(store.name);
      const known = historyIn(store.name, text, history);
      if (known) record.history = known;
      else yield* this.writing.meet(record);
    } catch (cause) {
      record.unsaved = true;
      this.failed(record, cause);
    }
  }

  get pending(): readonly string[] {
    const isElsewhere = ({ store }: StoreRecord): boolean => this.tabs?.isElsewhere(store.name) === true;
    const open = [...this.records.values()].filter((record) => isOpen(record) && !isElsewhere(record));
    return open.map(({ store }) => store.name);
  }

  async flush(): Promise<boolean> {
    // What a transaction has done so far may be rolled back.
    if (this.host.transaction) await new Promise<void>((resolve) => this.host.later(resolve));
    this.stopWaiting();
    const own = this.watchdog.limit(this.flushOwn(), false);
    if (!this.tabs || this.tabs.role === 'leading' || this.closed) return own;
    const [a, b] = await Promise.all([own, this.tabs.request('flush', [])]);
    // This tab may have heard of the leader only now: what is out of every order it stores itself.
    return a && b && this.watchdog.limit(this.flushOwn(), false);
  }

  private async flushOwn(): Promise<boolean> {
    if (this.reading > 0) await this.ready;
    // Without a wait where none is needed: the session may be about to end.
    if (this.isUnread && !(await this.readUnread())) return false;
    for (let round = 0; ; round++) {
      await this.saveEverything();
      for (const { joining } of this.records.values()) await joining;
      const open = [...this.records.values()].filter((record) => isOpen(record) && this.mayWrite(record));
      if (open.length === 0) return true;
      // What was joined with another session's state is stored in the next round; another one may store meanwhile. A write
      // that began since, for a later change, has taken over what this one could not store.
      const isLost = ({ writing, phase, failure }: StoreRecord): boolean =>
        !writing && (phase !== 'ready' || failure !== undefined);
      if (round >= MOST_ROUNDS || open.some(isLost)) return false;
    }
  }

  // ---- where stores were kept before ----

  /** The copies that other places still have of stores that are kept here. */
  private removeMoved(): void {
    for (const record of this.records.values())
      if (record.moved && record.phase === 'ready' && record.head !== undefined && this.mayWrite(record))
        void record.turns.take(() => this.removeCopies(record));
  }

  private *removeCopies(record: StoreRecord): Work<void> {
    const { name } = record.store;
    try {
      for (const other of this.others) {
        if (!(yield* other.has(name))) continue;
        // The same text stands there: two storages of the runtime are one place.
        const text = yield* wait(other.text(name));
        if (text?.startsWith(record.head!) !== true) yield* other.remove(name);
      }
      record.moved = false;
    } catch {
      // It is tried again with the next write; until then this place is read first.
    }
  }

  // ---- what is stored ----

  async forget(...stores: AnyStore[]): Promise<boolean> {
    const records = this.recordsOf(stores);
    const began = this.beginAgain(records);
    const forgotten = async (): Promise<boolean> =>
      (await this.leaveToWriter('forget', records)) ?? this.forgetHere(records, began);
    return this.watchdog.limit(forgotten(), false);
  }

  /** What is changed from now on is a change after what is stored was forgotten. */
  private beginAgain(records: readonly StoreRecord[]): readonly unknown[] {
    for (const record of records) record.changedAfterForget = false;
    return records.map((record) => record.kept.of(this.stateOf(record)));
  }

  private async forgetHere(records: readonly StoreRecord[], began = this.beginAgain(records)): Promise<boolean> {
    const done = records.map((record, i) => record.turns.take(() => this.remove(record, began[i])));
    const all = await perform(waitAll(done));
    this.tell();
    return all.every(Boolean);
  }

  private *remove(record: StoreRecord, began: unknown): Work<boolean> {
    const { name } = record.store;
    try {
      yield* forget(this.storedTexts, name);
      for (const other of record.moved ? this.others : []) yield* other.remove(name);
    } catch (cause) {
      this.report(storageFailed(`What is stored for '${name}' could not be forgotten`, cause));
      return false;
    }
    const isSame = !record.changedAfterForget && sameParts(began, record.kept.of(this.stateOf(record)));
    record.failure?.stop?.();
    Object.assign(record, {
      ...{ began, stored: NOTHING, head: undefined, end: undefined, lineage: [], history: [] },
      ...{ failure: undefined, unsaved: !isSame, phase: 'ready' },
    });
    if (!isSame) this.plan();
    return true;
  }

  private recordsOf(stores: readonly AnyStore[]): StoreRecord[] {
    if (stores.length === 0) return [...this.records.values()];
    return stores.flatMap((store) => this.records.get(definitionOf(store).name) ?? []);
  }

  async list(): Promise<readonly StoredItem[]> {
    return perform(storedItems(this.storedTexts));
  }

  async texts(): Promise<Readonly<Record<string, string>>> {
    return perform(allTexts(this.storedTexts));
  }

  // ---- several tabs ----

  /** What became of it in the tab that writes; nothing where that is this one. */
  private async leaveToWriter(what: StorageRequest, records: readonly StoreRecord[]): Promise<boolean | undefined> {
    if (!this.tabs || this.closed || records.every((record) => this.mayWrite(record))) return undefined;
    return this.tabs.request(
      what,
      records.map(({ store }) => store.name),
    );
  }

  async request(what: StorageRequest, stores: readonly string[]): Promise<boolean> {
    const records = [...this.records.values()].filter(({ store }) => stores.includes(store.name));
    const done =
      what === 'flush' ? this.flushOwn() : what === 'forget' ? this.forgetHere(records) : this.rehydrateHere(records);
    return this.watchdog.limit(done, false);
  }

  becomes(): void {
    this.removeMoved();
    this.plan();
    this.tell();
  }

  storedSince(stores: readonly string[]): MaybeAsync<Parts> {
    const since = perform(this.readAnew(stores));
    if (isThenable(since)) void this.whileReading(since, () => this.plan());
    return since;
  }

  private *readAnew(stores: readonly string[]): Work<Parts> {
    const parts: Parts = new Map();
    for (const record of this.readyOf(stores)) yield* wait(record.turns.take(() => this.readNewer(record, parts)));
    return parts;
  }

  private readyOf(stores: readonly string[]): readonly StoreRecord[] {
    return [...this.records.values()].filter(({ store, phase }) => phase === 'ready' && stores.includes(store.name));
  }

  private *readNewer(record: StoreRecord, parts: Parts): Work<void> {
    try {
      if (yield* this.storedTexts.isAsLeft(record)) return;
    } catch {
      // The next write finds what the other session stored.
      return;
    }
    const state = this.stateOf(record);
    const { unsaved } = record;
    const { onto, phase } = yield* this.openAgain(record, state);
    record.phase = phase;
    // What this session did is not in what it has read now.
    record.unsaved ||= unsaved || record.isTouched;
    if (onto !== unchanged) parts.set(record.store.name, record.kept.of(onto(state)));
  }

  adopt(stores: readonly string[]): void {
    for (const record of this.readyOf(stores)) void record.turns.take(() => this.writeOver(record));
  }

  private *writeOver(record: StoreRecord): Work<void> {
    const { phase } = yield* this.opening.open(record, this.stateOf(record));
    record.phase = phase;
    record.unsaved = phase === 'ready';
    this.plan();
  }

  changed(store: string): void {
    const record = this.records.get(store);
    if (!record) return;
    record.unsaved = record.isTouched = record.changedAfterForget = true;
    this.plan();
  }

  leaveToOther(store: string): void {
    const record = this.records.get(store);
    if (record) record.unsaved = false;
  }

  stored(): void {
    this.tellWatchers();
  }

  // ---- the rest ----

  report(problem: FloeError): void {
    this.problems.push(problem);
    this.host.problem(problem);
    this.tabs?.tell(problem);
    this.tellWatchers();
  }

  private tell(): void {
    this.tabs?.tell();
    this.tellWatchers();
  }

  private tellWatchers(): void {
    for (const watcher of [...this.watchers]) {
      try {
        watcher();
      } catch (error) {
        this.host.problem(error);
      }
    }
  }

  watch(listener: () => void): () => void {
    this.watchers.add(listener);
    return () => this.watchers.delete(listener);
  }

  close(): void | PromiseLike<void> {
    this.stopWaiting();
    // Memory does not take over any more what was joined with it; what was changed meanwhile goes on top of that.
    for (const record of this.records.values()) if (record.over) record.phase = 'ready';
    this.stopListening();
    this.closed = true;
    const { tabs } = this;
    const close = (): void => {
      tabs?.leave();
      this.area.close?.();
      // Only now may another tab write.
      tabs?.close();
    };
    const isOpen = this.reading > 0 || tabs?.isOpen === true || this.isUnread;
    const saving = isOpen ? this.saveLast() : this.saveEverything();
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
    const isRead = await this.readUnread();
    // In order is only what was read.
    if (isRead) await this.tabs?.settled();
    await this.saveEverything();
    if (isRead) return;
    const unread = [...this.records.values()].filter(({ phase, unsaved }) => phase === 'unread' && unsaved);
    for (const { store } of unread)
      this.report(storageFailed(`'${store.name}' could not be stored`, new Error('what is stored could not be read')));
  }
}
