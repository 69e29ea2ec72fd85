// What a runtime keeps between sessions, as the interface lists it, and what a developer does with it.
import { type Extensible, storesOf } from '../../core/internal.js';
import { NOT_KEPT, noSuchStore } from '../protocol/errors.js';
import type { ObservedFigures } from '../history/figures.js';
import type { Methods } from '../protocol/protocol.js';
import type { RequestHandlers } from '../protocol/rpc.js';

interface StoredItem {
  readonly store: string;
  readonly kind: 'state' | 'set aside';
  readonly size: number;
  readonly version?: number;
  readonly changes?: number;
  readonly newer?: string;
  readonly why?: string;
  readonly key?: string;
  readonly time?: number;
}

/** The persistence of a runtime, as far as a link knows it. */
export interface Kept {
  readonly status: string;
  readonly tab: string;
  readonly pending: readonly string[];
  readonly problems: readonly { readonly code: string; readonly message: string }[];
  flush(): Promise<boolean>;
  rehydrate(...stores: unknown[]): Promise<boolean>;
  forget(...stores: unknown[]): Promise<boolean>;
  list(): Promise<readonly StoredItem[]>;
  texts(): Promise<Readonly<Record<string, string>>>;
  watch(listener: () => void): () => void;
}

/** A change of a store that a storage still has to write. */
interface Unwritten {
  readonly store: string;
  readonly seq: number;
  /** Epoch milliseconds. */
  readonly time: number;
}

/** One that was written, so many milliseconds after it happened. */
export interface Written extends Unwritten {
  readonly after: number;
}

/** So many changes are waited for. */
const MOST_UNWRITTEN = 2000;

/** What the storages wrote while an inspector was attached. */
export class Writes {
  /** When each store was written last: epoch milliseconds; and how often. */
  readonly times = new Map<string, number>();
  readonly counts = new Map<string, number>();
  private unwritten: Unwritten[] = [];
  readonly end: () => void;

  /** @param written called when something became of the storages, with the changes that are stored now, and the milliseconds since */
  constructor(
    host: Pick<Extensible, 'now'>,
    kept: Pick<Kept, 'pending' | 'watch'>,
    written: (changes: readonly Written[]) => void,
  ) {
    this.end = kept.watch(() => {
      const pending = new Set(kept.pending);
      const now = host.now();
      const done = this.unwritten.filter(({ store }) => !pending.has(store));
      this.unwritten = this.unwritten.filter(({ store }) => pending.has(store));
      for (const store of new Set(done.map((change) => change.store))) {
        this.times.set(store, now);
        this.counts.set(store, (this.counts.get(store) ?? 0) + 1);
      }
      written(done.map((change) => ({ ...change, after: now - change.time })));
    });
  }

  /** A store changed: its storage is going to write it. */
  wait(change: Unwritten): void {
    this.unwritten.push(change);
    if (this.unwritten.length > MOST_UNWRITTEN) this.unwritten.shift();
  }
}

/** So many problems are told, the newest. */
const MOST_PROBLEMS = 20;

export function storedHandlers(
  host: Extensible,
  kept: Kept | undefined,
  writes: Writes | undefined,
): Pick<RequestHandlers, 'stored' | 'forget' | 'rehydrate' | 'flush' | 'storedTexts'> {
  const given = (): Kept => {
    if (!kept) throw NOT_KEPT();
    return kept;
  };
  const storeNamed = (name: string): unknown => {
    const store = storesOf(host).find((one) => one.name === name);
    if (!store) throw noSuchStore(name);
    return store;
  };
  const asResult = async (done: Promise<boolean>): Promise<{ readonly done: boolean }> => ({ done: await done });
  return {
    stored: async (): Promise<Methods['stored']['result']> => {
      if (!kept) return null;
      const { status, tab, pending, problems } = kept;
      const items = await kept.list();
      return {
        ...{ status, tab, pending },
        items: items.map(({ store, kind, size, version, changes, newer, why, key, time }) => ({
          ...{ store, kind, size },
          isPending: pending.includes(store),
          version: version ?? null,
          changes: changes ?? 0,
          written: kind === 'state' ? (writes?.times.get(store) ?? null) : (time ?? null),
          ...(key !== undefined && { key }),
          ...(newer !== undefined && { newer }),
          ...(why !== undefined && { why }),
        })),
        problems: problems.slice(-MOST_PROBLEMS).map(({ code, message }) => ({ code, message })),
      };
    },
    forget: ({ store }) => asResult(given().forget(storeNamed(store))),
    rehydrate: ({ store }) => asResult(given().rehydrate(storeNamed(store))),
    flush: () => asResult(given().flush()),
    storedTexts: async () => ({ text: JSON.stringify(await given().texts(), undefined, 2) }),
  };
}

export const keptOf = ({ persistence }: { readonly persistence?: unknown }): Kept | undefined =>
  typeof (persistence as Partial<Kept> | undefined)?.list === 'function' ? (persistence as Kept) : undefined;

/** What was observed of selectors and watchers, and what is stored. */
export async function figuresOf(
  observed: Pick<ObservedFigures, 'selectors' | 'watchers'>,
  kept: Kept | undefined,
  writes: Writes | undefined,
): Promise<ObservedFigures> {
  const items = kept ? await kept.list().catch(() => []) : [];
  return {
    ...observed,
    stored: items
      .filter(({ kind }) => kind === 'state')
      .map(({ store, size }) => ({ name: store, count: writes?.counts.get(store) ?? 0, characters: size })),
  };
}
