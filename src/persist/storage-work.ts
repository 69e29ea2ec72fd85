// What a storage is asked to do: to read again, to write everything, to forget. Where another tab writes, that one is asked.
import { storageFailed } from './errors.js';
import type { Forgetting } from './forgetting.js';
import type { Saving } from './saving.js';
import type { StorageSession } from './session.js';
import type { StoreRecord } from './store-record.js';
import type { StoredStates } from './stored-states.js';
import type { StorageRequest } from './tabs/messages.js';
import type { Watchdog } from './watchdog.js';

/** How often one flush stores again what it had to join with what other sessions stored meanwhile. */
const MOST_ROUNDS = 20;

/** Whether something of it is not stored yet. */
const isOpen = ({ unsaved, writing, rereading }: StoreRecord): boolean => unsaved || writing || rereading;

interface WorkParts {
  readonly states: StoredStates;
  readonly saving: Saving;
  readonly forgetting: Forgetting;
  readonly watchdog: Watchdog;
}

export class StorageWork {
  constructor(
    private readonly session: StorageSession,
    private readonly parts: WorkParts,
  ) {}

  /** @returns whether everything could be read */
  async rehydrate(records: readonly StoreRecord[]): Promise<boolean> {
    return this.parts.watchdog.limit(this.rehydrateAll(records), false);
  }

  private async rehydrateAll(records: readonly StoreRecord[]): Promise<boolean> {
    await this.parts.states.ready;
    return (await this.leaveToWriter('rehydrate', records)) ?? this.parts.states.rehydrate(records);
  }

  get pending(): readonly string[] {
    const isElsewhere = ({ store }: StoreRecord): boolean => this.session.tabs?.isElsewhere(store.name) === true;
    const open = this.session.all.filter((record) => isOpen(record) && !isElsewhere(record));
    return open.map(({ store }) => store.name);
  }

  async flush(): Promise<boolean> {
    // What a transaction has done so far may be rolled back.
    if (this.session.host.transactions.current) await new Promise<void>((resolve) => this.session.host.later(resolve));
    this.parts.saving.stopWaiting();
    const own = this.parts.watchdog.limit(this.flushOwn(), false);
    const { session } = this;
    const { tabs } = session;
    if (!tabs || session.isClosed) return own;
    // A leader may give way to another one meanwhile: then that one is asked.
    if (tabs.role === 'leading' && (!(await own) || tabs.role === 'leading')) return own;
    const [a, b] = await Promise.all([own, tabs.request('flush', [])]);
    // This tab may have heard of the leader only now: what is out of every order it stores itself.
    return a && b && this.parts.watchdog.limit(this.flushOwn(), false);
  }

  async flushOwn(): Promise<boolean> {
    if (this.session.reading > 0) await this.parts.states.ready;
    // Without a wait where none is needed: the session may be about to end.
    if (this.session.isUnread && !(await this.parts.states.readUnread())) return false;
    for (let round = 0; ; round++) {
      await this.parts.saving.saveEverything();
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

  async forget(records: readonly StoreRecord[]): Promise<boolean> {
    const began = this.parts.forgetting.beginAgain(records);
    const forgotten = async (): Promise<boolean> =>
      (await this.leaveToWriter('forget', records)) ?? this.parts.forgetting.forget(records, began);
    return this.parts.watchdog.limit(forgotten(), false);
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

  /** What was done on top of a state that is still being read, or before the leader was known, is stored as soon as it can be. */
  async saveLast(): Promise<void> {
    await this.parts.states.ready;
    const isRead = await this.parts.states.readUnread();
    // In order is only what was read.
    if (isRead) await this.session.tabs?.settled();
    await this.parts.saving.saveEverything();
    if (isRead) return;
    const unread = this.session.all.filter(({ phase, unsaved }) => phase === 'unread' && unsaved);
    for (const { store } of unread)
      this.session.report(
        storageFailed(`'${store.name}' could not be stored`, new Error('what is stored could not be read')),
      );
  }
}
