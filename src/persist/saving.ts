// When what is kept of the stores is written: gathered, at once, again after a failure, and where another writer wrote too.
import { messageOf } from '../core/internal.js';
import type { MaybeAsync } from './area.js';
import { historyIn } from './conflicts.js';
import { storageFailed } from './errors.js';
import type { StorageSession } from './session.js';
import type { StoredTexts } from './stored-texts.js';
import type { StoreRecord } from './store-record.js';
import { perform, wait, waitAll, type AreaWork } from './work.js';
import type { Writing } from './writing.js';

/** Milliseconds after which a failed write is tried again; twice as many each time. */
export const FIRST_PAUSE = 1000;
export const LONGEST_PAUSE = 30_000;

interface SavingOptions {
  /** Milliseconds in which changes are gathered. */
  readonly writeAfter: number;
  /** Where the stores may have been kept before they moved here. */
  readonly others: readonly StoredTexts[];
}

export class Saving {
  /** Stops the write that is planned. */
  private planned: (() => void) | undefined;
  private readonly writeAfter: number;
  private readonly others: readonly StoredTexts[];

  constructor(
    private readonly session: StorageSession,
    private readonly writing: Writing,
    private readonly storedTexts: StoredTexts,
    { writeAfter, others }: SavingOptions,
  ) {
    this.writeAfter = writeAfter;
    this.others = others;
    session.plan = () => this.plan();
  }

  /** Writes what is unsaved, now or when more was gathered. */
  plan(): void {
    const { writeAfter: ms } = this;
    if (ms === 0) return this.saveAll();
    if (this.planned || ms === Infinity || this.session.isClosed) return;
    for (const record of this.session.records.values()) {
      if (!this.isDue(record)) continue;
      this.planned = this.session.host.after(ms, () => {
        this.planned = undefined;
        this.saveAll();
      });
      return;
    }
  }

  /** A store whose last write failed waits until it is tried again. */
  private isDue(record: StoreRecord): boolean {
    return record.unsaved && record.phase === 'ready' && !record.failure?.stop && this.session.mayWrite(record);
  }

  private saveAll(): void {
    for (const record of this.session.records.values()) if (this.isDue(record)) void this.save(record);
  }

  saveEverything(): MaybeAsync<unknown> {
    return perform(waitAll(Array.from(this.session.records.values(), (record) => this.save(record))));
  }

  private save(record: StoreRecord): MaybeAsync<void> {
    if (record.phase !== 'ready' || record.expected || !this.session.mayWrite(record))
      return record.turns.last as MaybeAsync<void>;
    record.expected = true;
    return record.turns.take(() => {
      record.expected = false;
      return this.write(record);
    });
  }

  private *write(record: StoreRecord): AreaWork<void> {
    try {
      const wrote = yield* this.writing.write(record, () => this.session.mayWrite(record));
      if (!wrote && record.unsaved) return;
      record.failure?.stop?.();
      record.failure = undefined;
      if (wrote) {
        if (record.moved) yield* this.removeCopies(record);
        this.session.tell();
      }
    } catch (cause) {
      this.failed(record, cause);
    }
  }

  private failed(record: StoreRecord, cause: unknown): void {
    const why = messageOf(cause);
    const isKnown = Array.from(this.session.records.values()).some(({ failure }) => failure?.why === why);
    record.failure?.stop?.();
    const pause = Math.min(Math.max(FIRST_PAUSE, (record.failure?.pause ?? 0) * 2), LONGEST_PAUSE);
    const again = (): void => {
      record.failure = { why, pause, stop: undefined };
      void this.save(record);
    };
    const waits = this.writeAfter !== Infinity && !this.session.isClosed;
    record.failure = { why, pause, stop: waits ? this.session.host.after(pause, again) : undefined };
    if (!isKnown) this.session.report(storageFailed(`'${record.store.name}' could not be stored`, cause));
  }

  /** From now on nothing waits, neither to gather more nor after a failure. */
  stopWaiting(): void {
    this.planned?.();
    this.planned = undefined;
    for (const record of this.session.records.values()) {
      record.failure?.stop?.();
      if (record.failure) record.failure = { ...record.failure, pause: 0, stop: undefined };
    }
  }

  /** The place can be reached again: what could not be stored is stored without waiting. */
  tryAgain(): void {
    if (this.session.isClosed || !Array.from(this.session.records.values()).some(({ failure }) => failure)) return;
    this.stopWaiting();
    this.saveAll();
  }

  /** Another writer stored a store: perhaps without having seen what this session has just written. */
  writtenElsewhere(key: string): void {
    const record = this.session.records.get(key.split('.')[0]);
    if (this.session.isClosed || !record || record.history.length === 0 || !this.session.mayWrite(record)) return;
    // Memory takes over what was joined just now.
    if (record.joining) void record.joining.then(() => this.writtenElsewhere(key));
    else if (record.phase === 'ready') void record.turns.take(() => this.lookAfter(record));
  }

  private *lookAfter(record: StoreRecord): AreaWork<void> {
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

  /** The copies that other places still have of stores that are kept here. */
  removeMoved(): void {
    for (const record of this.session.records.values())
      if (record.moved && record.phase === 'ready' && record.head !== undefined && this.session.mayWrite(record))
        void record.turns.take(() => this.removeCopies(record));
  }

  private *removeCopies(record: StoreRecord): AreaWork<void> {
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
}
