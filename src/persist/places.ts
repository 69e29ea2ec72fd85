// Different stores in different places: one `persistence` over several engines, each of which keeps its own stores.
import {
  type Cell,
  definitionOf,
  type FloeError,
  isThenable,
  type Listener,
  put,
  type StoreDefinition,
} from '../core/internal.js';
import type { AnyStore } from '../core/index.js';
import type { PersistenceEngine } from './engine.js';
import type { Persistence, StoredItem } from './persistence.js';
import type { TabRole } from './tabs/tab.js';

export class Places implements Persistence, Listener {
  private readonly engines: readonly PersistenceEngine[];

  /**
   * @param usual keeps every store that `byStore` does not name
   * @param problems where all engines list their problems
   */
  constructor(
    private readonly usual: PersistenceEngine,
    private readonly byStore: ReadonlyMap<string, PersistenceEngine>,
    readonly problems: FloeError[],
  ) {
    this.engines = [...new Set([usual, ...byStore.values()])];
  }

  private engineOf(store: string): PersistenceEngine {
    return this.byStore.get(store) ?? this.usual;
  }

  // ---- for the runtime ----

  begin(store: StoreDefinition, state: unknown): unknown {
    return this.engineOf(store.name).begin(store, state);
  }

  fill(cell: Cell, stored: PromiseLike<unknown>): void {
    this.engineOf(cell.store.name).fill(cell, stored);
  }

  close(): void | PromiseLike<void> {
    const closing = this.engines.map((engine) => engine.close()).filter(isThenable);
    return closing.length > 0
      ? Promise.all(closing.map((done) => Promise.resolve(done))).then(() => undefined)
      : undefined;
  }

  // ---- for the application ----

  get status(): Persistence['status'] {
    const all = this.engines.map(({ status }) => status);
    return all.find((status) => status !== 'ready') ?? 'ready';
  }

  /** The role in the first place that tabs share: one tab leads there. */
  get tab(): TabRole {
    return this.engines.map(({ tab }) => tab).find((role) => role !== 'alone') ?? 'alone';
  }

  get ready(): Promise<void> {
    return Promise.all(this.engines.map((engine) => engine.ready)).then(() => undefined);
  }

  get pending(): readonly string[] {
    return this.engines.flatMap((engine) => engine.pending);
  }

  async flush(): Promise<boolean> {
    const all = await Promise.all(this.engines.map((engine) => engine.flush()));
    return all.every(Boolean);
  }

  rehydrate(...stores: AnyStore[]): Promise<boolean> {
    return this.eachOf(stores, (engine, own) => engine.rehydrate(...own));
  }

  forget(...stores: AnyStore[]): Promise<boolean> {
    return this.eachOf(stores, (engine, own) => engine.forget(...own));
  }

  /** Asks each engine for its own stores; without stores all engines for all. */
  private async eachOf(
    stores: readonly AnyStore[],
    ask: (engine: PersistenceEngine, own: readonly AnyStore[]) => Promise<boolean>,
  ): Promise<boolean> {
    const all = await Promise.all(
      this.engines.map((engine) => {
        const own = stores.filter((store) => this.engineOf(definitionOf(store).name) === engine);
        return stores.length > 0 && own.length === 0 ? Promise.resolve(true) : ask(engine, own);
      }),
    );
    return all.every(Boolean);
  }

  async list(): Promise<readonly StoredItem[]> {
    return (await Promise.all(this.engines.map((engine) => engine.list()))).flat();
  }

  async texts(): Promise<Readonly<Record<string, string>>> {
    const all = await Promise.all(this.engines.map((engine) => engine.texts()));
    const texts: Record<string, string> = {};
    for (const some of all) for (const key of Object.keys(some)) put(texts, key, some[key]);
    return texts;
  }

  watch(listener: () => void): () => void {
    const stops = this.engines.map((engine) => engine.watch(listener));
    return () => {
      for (const stop of stops) stop();
    };
  }
}
