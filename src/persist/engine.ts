// Keeps the stores of a runtime in one place. It is what the application and the runtime see of that; the parts do the work:
// `storage-work.ts` does what it is asked for, `stored-states.ts` reads, `saving.ts` writes, `forgetting.ts` forgets, `following.ts`
// hears what changed, and `opening.ts`,
// `writing.ts` and `conflicts.ts` work on one record.
import {
  type Cell,
  type Extensible,
  type FloeError,
  isThenable,
  listen,
  type Listener,
  type StoreDefinition,
} from '../core/internal.js';
import type { AnyStore } from '../core/index.js';
import type { StorageArea } from './area.js';
import { Conflicts } from './conflicts.js';
import { storageHangs } from './errors.js';
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
import type { ForeignStores } from './tabs/foreign-stores.js';
import type { TabRole } from './tabs/tab.js';
import { Watchdog } from './watchdog.js';
import { perform } from './work.js';
import { StorageWork } from './storage-work.js';
import { Writing } from './writing.js';

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

export class PersistenceEngine implements Persistence, Listener {
  readonly storedTexts: StoredTexts;
  readonly session: StorageSession;
  private readonly states: StoredStates;
  private readonly saving: Saving;
  private readonly work: StorageWork;
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
    const forgetting = new Forgetting(session, storedTexts, others);
    this.hosted = sharing?.hosted(session, opening);
    const { states, saving, watchdog, hosted } = this;
    this.work = new StorageWork(session, { states, saving, forgetting, watchdog });
    const flush = (): Promise<boolean> => this.work.flushOwn();
    listen(host, new Following(session));
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
    this.session.host.features.use(this.late!).fill(cell, stored);
  }

  /** @returns whether everything could be read */
  async rehydrate(...stores: AnyStore[]): Promise<boolean> {
    return this.work.rehydrate(this.session.recordsOf(stores));
  }

  get pending(): readonly string[] {
    return this.work.pending;
  }

  async flush(): Promise<boolean> {
    return this.work.flush();
  }

  async forget(...stores: AnyStore[]): Promise<boolean> {
    return this.work.forget(this.session.recordsOf(stores));
  }

  async list(): Promise<readonly StoredItem[]> {
    return perform(storedItems(this.storedTexts));
  }

  async texts(): Promise<Readonly<Record<string, string>>> {
    return perform(allTexts(this.storedTexts));
  }

  watch(listener: () => void): () => void {
    return this.session.watchers.add(listener);
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
    const saving = isOpen ? this.work.saveLast() : this.saving.saveEverything();
    if (isThenable(saving)) {
      if (!isOpen) tabs?.leave();
      return this.watchdog.limit(saving, undefined).then(close);
    }
    close();
    return undefined;
  }
}
