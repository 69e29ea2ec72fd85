// What the tabs ask of the storage of this one.
import type { FloeError } from '../../core/internal.js';
import type { MaybeAsync } from '../area.js';
import type { Forgetting } from '../forgetting.js';
import type { Opening } from '../opening.js';
import type { Saving } from '../saving.js';
import type { StorageSession } from '../session.js';
import type { StoredStates } from '../stored-states.js';
import type { StoreRecord } from '../store-record.js';
import type { Watchdog } from '../watchdog.js';
import type { AreaWork } from '../work.js';
import type { ForeignStores } from './foreign-stores.js';
import type { StorageRequest } from './messages.js';
import type { DeedParts } from './pending.js';
import type { TabsHost } from './tab.js';

export interface StorageParts {
  readonly hosted: ForeignStores | undefined;
  readonly states: StoredStates;
  readonly saving: Saving;
  readonly forgetting: Forgetting;
  readonly opening: Opening;
  readonly watchdog: Watchdog;
  /** Stores what is unsaved. Returns whether everything is stored then. */
  flush(): Promise<boolean>;
}

export class StorageSide implements TabsHost {
  readonly hosted: ForeignStores | undefined;

  constructor(
    private readonly session: StorageSession,
    private readonly parts: StorageParts,
  ) {
    this.hosted = parts.hosted;
  }

  report(problem: FloeError): void {
    this.session.report(problem);
  }

  storedSince(stores: readonly string[]): MaybeAsync<DeedParts> {
    return this.parts.states.storedSince(stores);
  }

  async request(what: StorageRequest, stores: readonly string[]): Promise<boolean> {
    const records = this.session.all.filter(({ store }) => stores.includes(store.name));
    const done =
      what === 'flush'
        ? this.parts.flush()
        : what === 'forget'
          ? this.parts.forgetting.forget(records)
          : this.parts.states.rehydrate(records);
    return this.parts.watchdog.limit(done, false);
  }

  becomes(): void {
    this.parts.saving.removeMoved();
    this.session.plan();
    this.session.tell();
  }

  adopt(stores: readonly string[]): void {
    for (const record of this.session.readyOf(stores)) void record.turns.take(() => this.writeOver(record));
  }

  private *writeOver(record: StoreRecord): AreaWork<void> {
    const { phase } = yield* this.parts.opening.open(record, this.session.stateOf(record));
    record.phase = phase;
    record.unsaved = phase === 'ready';
    this.session.plan();
  }

  changed(store: string): void {
    const record = this.session.records.get(store);
    if (!record) return;
    record.unsaved = record.isTouched = record.changedAfterForget = true;
    this.session.plan();
  }

  leaveToOther(store: string): void {
    const record = this.session.records.get(store);
    if (record) record.unsaved = false;
  }

  stored(): void {
    this.session.watchers.tell();
  }
}
