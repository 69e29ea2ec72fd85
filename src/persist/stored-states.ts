// Reads what is stored: when a store joins, later where it could not be read, and again on top of what is there.
import {
  type Cell,
  confirmedStates,
  type Feature,
  type Hooks,
  isThenable,
  type StoreDefinition,
} from '../core/internal.js';
import type { MaybeAsync } from './area.js';
import { KeptPart, sameParts } from './kept-part.js';
import { unchanged, type Opened, type Opening } from './opening.js';
import { FIRST_PAUSE, LONGEST_PAUSE, type Saving } from './saving.js';
import { mergeSessions } from './session-merge.js';
import type { StorageSession } from './session.js';
import { newRecord, NOTHING, type StoreRecord } from './store-record.js';
import type { StoredTexts } from './stored-texts.js';
import type { DeedParts } from './tabs/pending.js';
import { perform, wait, type AreaWork } from './work.js';

/** As many turns of the queue of promises after a state was read, the runtime has made it the live one. */
const TURNS = 4;

/** Brings in the states of stores that are still being read. */
export type LateStates = Feature<Hooks & { fill(cell: Cell, stored: PromiseLike<unknown>): void }>;

interface ReadingParts {
  readonly opening: Opening;
  readonly saving: Saving;
  readonly storedTexts: StoredTexts;
  /** Brings in what it takes time to read. */
  readonly late: LateStates | undefined;
}

export class StoredStates {
  /** Wakes those that wait to read again what could not be read. */
  private readonly wakes = new Set<() => void>();
  private whenReady: { readonly promise: Promise<void>; readonly resolve: () => void } | undefined;
  private readonly opening: Opening;
  private readonly saving: Saving;
  private readonly storedTexts: StoredTexts;
  private readonly late: LateStates | undefined;

  constructor(
    private readonly session: StorageSession,
    { opening, saving, storedTexts, late }: ReadingParts,
  ) {
    this.opening = opening;
    this.saving = saving;
    this.storedTexts = storedTexts;
    this.late = late;
  }

  get ready(): Promise<void> {
    if (this.session.reading === 0) return Promise.resolve();
    if (!this.whenReady) {
      let resolve = (): void => undefined;
      const promise = new Promise<void>((done) => (resolve = done));
      this.whenReady = { promise, resolve };
    }
    return this.whenReady.promise;
  }

  /** The state that a store begins with: the stored one, or a promise of it. */
  begin(store: StoreDefinition, state: unknown): unknown {
    const kept = new KeptPart(store);
    const record = newRecord(store, kept, kept.of(state));
    this.session.records.set(store.name, record);
    this.session.tabs?.add(store, kept, state);
    const begun = record.turns.take(() => this.opening.first(record, state));
    const isUnread = !isThenable(begun) && begun.phase === 'unread' && this.late !== undefined;
    if (!isThenable(begun) && !isUnread) {
      record.phase = begun.phase;
      const stored = begun.onto(state);
      this.session.tabs?.read(store.name, stored, stored);
      this.saving.removeMoved();
      return stored;
    }
    const first = Promise.resolve(begun);
    const read = first.then((opened) => (opened.phase === 'unread' ? this.readLater(record, state) : opened));
    const taken = ({ onto, phase }: Opened, isLate: boolean): void => {
      record.phase = phase;
      this.session.tabs?.read(store.name, onto(state), confirmedStates(this.session.host)[store.name]);
      this.saving.removeMoved();
      // What was done meanwhile is not stored.
      if (isLate) record.unsaved = record.changedAfterForget = true;
      if (record.unsaved) this.session.plan();
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
      const stop = this.session.isClosed ? () => undefined : this.session.host.after(ms, wake);
      this.wakes.add(wake);
    });
  }

  /** Has what could not be read be read again now. Returns whether everything is read then. */
  async readUnread(): Promise<boolean> {
    if (!this.session.isUnread) return true;
    this.wake();
    // The try begins a moment later, and what it reads is taken in after it.
    for (let turns = 0; turns < 2; turns++) await Promise.resolve();
    for (const record of this.session.records.values()) if (record.phase === 'unread') await record.turns.last;
    for (let turns = 0; turns < 2 * TURNS; turns++) await Promise.resolve();
    return !this.session.isUnread;
  }

  /** The runtime makes a state the live one some turns after it is there. */
  private async whenFilled<T>(read: PromiseLike<T>, then: (read: T) => void): Promise<void> {
    const value = await read;
    for (let turns = 0; turns < TURNS; turns++) await Promise.resolve();
    then(value);
    this.session.tell();
  }

  /** The runtime makes the stored state the live one as soon as it is there; only then may it be written. */
  async whileReading<T>(begun: PromiseLike<T>, then: (read: T) => void = () => undefined): Promise<void> {
    this.session.reading++;
    const read = await begun;
    for (let turns = 0; turns < TURNS; turns++) await Promise.resolve();
    this.session.reading--;
    then(read);
    this.session.tell();
    if (this.session.reading > 0) return;
    this.whenReady?.resolve();
    this.whenReady = undefined;
  }

  async rehydrate(records: readonly StoreRecord[]): Promise<boolean> {
    await this.readUnread();
    let isWhole = true;
    for (const record of records) {
      if (record.joining) await record.joining;
      // What could never be read is taken in by who waits for it.
      if (record.phase !== 'unread') await record.turns.take(() => this.readOnTop(record));
      isWhole &&= record.phase === 'ready';
    }
    this.session.tell();
    return isWhole;
  }

  /** Reads what is stored. Until then it is not known whether what was unsaved is stored, and a flush waits. */
  private *openAgain(record: StoreRecord, state: unknown): AreaWork<Opened> {
    record.isTouched = false;
    record.rereading = record.unsaved;
    try {
      return yield* this.opening.open(record, state);
    } finally {
      record.rereading = false;
    }
  }

  /** Reads what is stored. What this session changed since it read or wrote last goes on top of it. */
  private *readOnTop(record: StoreRecord): AreaWork<void> {
    const { store, kept, phase: before, began, stored, unsaved: wasUnsaved, head, end, lineage, history } = record;
    const { onto, phase } = yield* this.openAgain(record, this.session.stateOf(record));
    const unsaved = wasUnsaved || record.isTouched;
    if (phase === 'unread') {
      // It is as it was, but that it could not be read.
      Object.assign(record, { phase: before, stored, unsaved, head, end, lineage, history });
      return;
    }
    record.phase = phase;
    if (this.session.isClosed || onto === unchanged) {
      record.unsaved ||= unsaved;
      return;
    }
    const now = this.session.stateOf(record);
    const [own, other] = [kept.of(now), kept.of(onto(now))];
    const common = stored === NOTHING ? began : stored;
    // A reset is no change that is to be stored: what is stored takes its place again.
    const { result } = unsaved ? mergeSessions(common, own, other, store.kept?.onConflict) : { result: other };
    this.session.takeIn([[record, kept.exactly(now, result)]]);
    if (sameParts(result, other)) return;
    record.unsaved = true;
    this.session.plan();
  }

  storedSince(stores: readonly string[]): MaybeAsync<DeedParts> {
    const since = perform(this.readAnew(stores));
    if (isThenable(since)) void this.whileReading(since, () => this.session.plan());
    return since;
  }

  private *readAnew(stores: readonly string[]): AreaWork<DeedParts> {
    const parts: DeedParts = new Map();
    for (const record of this.session.readyOf(stores))
      yield* wait(record.turns.take(() => this.readNewer(record, parts)));
    return parts;
  }

  private *readNewer(record: StoreRecord, parts: DeedParts): AreaWork<void> {
    try {
      if (yield* this.storedTexts.isAsLeft(record)) return;
    } catch {
      // The next write finds what the other session stored.
      return;
    }
    const state = this.session.stateOf(record);
    const { unsaved } = record;
    const { onto, phase } = yield* this.openAgain(record, state);
    record.phase = phase;
    // What this session did is not in what it has read now.
    record.unsaved ||= unsaved || record.isTouched;
    if (onto !== unchanged) parts.set(record.store.name, record.kept.of(onto(state)));
  }

  /** The place can be reached again. */
  wake(): void {
    for (const wake of [...this.wakes]) wake();
  }
}
