// One runtime at one place: the records of its stores, and what opening, writing and reading again have in common.
import {
  confirmedStates,
  definitionOf,
  type Extensible,
  type FloeError,
  type StoreChange,
  takeIn,
  Watchers,
} from '../core/internal.js';
import type { AnyStore } from '../core/index.js';
import type { StoreRecord } from './store-record.js';
import type { Tabs } from './tabs/tabs.js';

export class StorageSession {
  readonly records = new Map<string, StoreRecord>();
  /** Names this session in what it writes. */
  readonly id = `${Date.now().toString(36)}${Math.random().toString(36).slice(2, 8)}`;
  /** Of the tabs that share the stores; set before the first store joins. */
  tabs: Tabs | undefined;
  isClosed = false;
  /** How many reads are under way on which the runtime waits. */
  reading = 0;
  /** A store has changes that are not stored. */
  plan: () => void = () => undefined;
  private writes = 0;
  readonly watchers = new Watchers((error) => this.host.problem(error));

  constructor(
    readonly host: Extensible,
    /** Where problems are listed. */
    readonly problems: FloeError[],
  ) {}

  get status(): 'reading' | 'ready' | 'closed' {
    return this.isClosed ? 'closed' : this.reading > 0 ? 'reading' : 'ready';
  }

  /** The number of the next write. */
  nextWrite(): number {
    return ++this.writes;
  }

  now(): number {
    return this.host.now();
  }

  // ---- records ----

  get all(): StoreRecord[] {
    return [...this.records.values()];
  }

  recordsOf(stores: readonly AnyStore[]): StoreRecord[] {
    if (stores.length === 0) return this.all;
    return stores.flatMap((store) => this.records.get(definitionOf(store).name) ?? []);
  }

  readyOf(stores: readonly string[]): readonly StoreRecord[] {
    return this.all.filter(({ store, phase }) => phase === 'ready' && stores.includes(store.name));
  }

  /** Something that is stored could not be read yet. */
  get isUnread(): boolean {
    return this.all.some(({ phase }) => phase === 'unread');
  }

  /** Of the tabs that share a store only the leader writes it. */
  mayWrite({ store }: StoreRecord): boolean {
    return !this.tabs || this.tabs.mayWrite(store.name);
  }

  // ---- states ----

  /** The live state of a store. */
  stateOf({ store, hosted }: StoreRecord): unknown {
    return hosted ? this.tabs!.hosted.part(store.name) : confirmedStates(this.host)[store.name];
  }

  /** Makes these the live states: they came from the storage. */
  takeIn(entries: readonly (readonly [record: StoreRecord, state: unknown])[]): void {
    const states = confirmedStates(this.host);
    const changes: StoreChange[] = [];
    for (const [{ store, hosted }, after] of entries)
      if (hosted) this.tabs!.hosted.change(store.name, after);
      else changes.push({ store, before: states[store.name], after });
    if (changes.length > 0) takeIn(this.host, changes, 'rehydrated', { by: 'storage' });
  }

  // ---- who wants to know ----

  report(problem: FloeError): void {
    this.problems.push(problem);
    this.host.problem(problem);
    this.tabs?.tell(problem);
    this.watchers.tell();
  }

  /** Something was stored, or read. */
  tell(): void {
    this.tabs?.tell();
    this.watchers.tell();
  }
}
