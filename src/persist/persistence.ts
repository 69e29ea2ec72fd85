import { decode, encode } from '../core/encode.js';
import { messageOf, type FloeError } from '../core/errors.js';
import type { AnyStore } from '../core/index.js';
import { guardData, isContainer, type Container } from '../core/plain.js';
import { definitionOf, type StoreDefinition } from '../core/store.js';
import { ATTACH, type Attachment, type Host, type Listener, type Transition } from '../core/transition.js';
import type { StorageArea } from './area.js';
import { storageFailed, storedDamaged, storedTooNew } from './errors.js';

/**
 * The version of the stored format.
 * Raise it when an older floe would misread what a newer one stores; then teach `parse` to open the older one too.
 */
export const STORED_VERSION = 1;

/** What is stored for one store, under its name. */
interface Stored {
  readonly floe: 'stored';
  readonly version: number;
  /** The kept fields, encoded; or the whole state where it has no fields. */
  readonly state: unknown;
}

/** What a runtime keeps between sessions, and what became of it. */
export interface Persistence {
  /** `ready`: what is stored was read, and changes are stored. */
  readonly status: 'ready' | 'closed';
  /** Everything that went wrong so far, oldest first. */
  readonly problems: readonly FloeError[];
  /** Stores what is not stored yet. */
  flush(): void;
  /** Forgets what is stored for some stores, or for all. Memory stays; the next change stores again. */
  forget(...stores: AnyStore[]): void;
  /** Calls `listener` whenever something was stored, was forgotten or went wrong. Returns a function that stops it. */
  watch(listener: () => void): () => void;
}

class Keeper implements Persistence, Listener {
  status: 'ready' | 'closed' = 'ready';
  readonly problems: FloeError[] = [];
  private past = false;
  /** The kept part as it is stored now, by store. */
  private readonly stored = new Map<StoreDefinition, unknown>();
  /** Stores whose stored state belongs to a newer version. */
  private readonly untouchable = new Set<StoreDefinition>();
  private readonly unsaved = new Set<StoreDefinition>();
  private readonly watchers = new Set<() => void>();

  constructor(
    private readonly host: Host,
    private readonly area: StorageArea,
  ) {}

  begin(store: StoreDefinition, state: unknown): unknown {
    if (!store.kept) return state;
    let text: string | undefined;
    try {
      text = this.area.read(store.name);
    } catch (cause) {
      this.report(storageFailed(`What is stored for '${store.name}' could not be read`, cause));
    }
    if (text === undefined) return state;
    try {
      const stored = parse(text);
      if (stored.version > STORED_VERSION) {
        this.untouchable.add(store);
        this.report(storedTooNew(store.name, stored.version));
        return state;
      }
      const kept = decode(stored.state);
      guardData(kept, { at: '', what: `The stored state of '${store.name}'` });
      const next = complete(store, state, kept);
      this.stored.set(store, keptPart(store, next));
      return next;
    } catch (cause) {
      this.setAside(store, text, messageOf(cause));
      return state;
    }
  }

  /** What cannot be used is moved out of the way, never thrown away. */
  private setAside(store: StoreDefinition, text: string, why: string): void {
    const aside = `${store.name}.damaged.${this.host.now()}`;
    try {
      this.area.write(aside, text);
      this.area.remove(store.name);
    } catch (cause) {
      this.untouchable.add(store);
      return this.report(
        storageFailed(`What is stored for '${store.name}' is damaged (${why}) and could not be set aside`, cause),
      );
    }
    this.report(storedDamaged(store.name, aside, why));
  }

  transition({ kind, fact, changed, unseen }: Transition): void {
    // An action in the past has begun a branch: it is the present now.
    if (this.past && !unseen) {
      this.past = false;
      for (const store of this.host.stores()) this.unsaved.add(store);
    }
    // What was left out while it was open may count from now on; and what changed nothing may change what is certain.
    if (this.host.uncertain || fact === 'confirmed' || fact === 'reverted')
      for (const store of this.host.stores()) this.unsaved.add(store);
    else if (kind === 'fact' && fact !== 'renewed') return;
    for (const { store } of changed) this.unsaved.add(store);
    this.flush();
  }

  travelled(live: boolean): void {
    this.past = !live;
    if (!live) return;
    // Perhaps not back from a look at the past, but on another line. What is the same is not written again.
    for (const store of this.host.stores()) this.unsaved.add(store);
    this.flush();
  }

  /** What is stored is the live end, wherever the cursor is. */
  flush(): void {
    const states = this.host.states();
    for (const store of this.unsaved) {
      if (!store.kept || this.untouchable.has(store)) {
        this.unsaved.delete(store);
        continue;
      }
      const part = keptPart(store, states[store.name]);
      if (!samePart(part, this.stored.get(store))) {
        const stored: Stored = { floe: 'stored', version: STORED_VERSION, state: encode(part) };
        try {
          this.area.write(store.name, JSON.stringify(stored));
        } catch (cause) {
          // It stays unsaved: the next change tries again.
          this.report(storageFailed(`'${store.name}' could not be stored`, cause));
          continue;
        }
        this.stored.set(store, part);
        this.tell();
      }
      this.unsaved.delete(store);
    }
  }

  forget(...stores: AnyStore[]): void {
    for (const store of stores.length > 0 ? stores.map(definitionOf) : this.host.stores()) {
      try {
        this.area.remove(store.name);
      } catch (cause) {
        this.report(storageFailed(`What is stored for '${store.name}' could not be forgotten`, cause));
        continue;
      }
      this.stored.delete(store);
      this.untouchable.delete(store);
      this.unsaved.delete(store);
    }
    this.tell();
  }

  private report(problem: FloeError): void {
    this.problems.push(problem);
    this.host.problem(problem);
    this.tell();
  }

  private tell(): void {
    for (const watcher of [...this.watchers]) watcher();
  }

  watch(listener: () => void): () => void {
    this.watchers.add(listener);
    return () => this.watchers.delete(listener);
  }

  close(): void {
    this.flush();
    this.status = 'closed';
  }
}

function parse(text: string): Stored {
  const value = JSON.parse(text) as Partial<Stored> | null;
  if (typeof value !== 'object' || value?.floe !== 'stored' || typeof value.version !== 'number')
    throw new Error('it was not written by floe');
  return value as Stored;
}

/** The part of a state that is kept: its kept fields, or the whole where it has no fields. */
function keptPart({ kept }: StoreDefinition, state: unknown): unknown {
  if (!isContainer(state) || Array.isArray(state)) return state;
  const { only, except = [] } = kept as { only?: readonly string[]; except?: readonly string[] };
  return Object.fromEntries(
    Object.entries(state).filter(([key]) => (!only || only.includes(key)) && !except.includes(key)),
  );
}

/** The stored fields over those that the state begins with; fields that are no longer kept stay behind. */
function complete(store: StoreDefinition, state: unknown, stored: unknown): unknown {
  const hasFields = (value: unknown): value is Record<string, unknown> => isContainer(value) && !Array.isArray(value);
  if (hasFields(state) !== hasFields(stored)) throw new Error('it has another shape than the state');
  return hasFields(state) ? { ...state, ...(keptPart(store, stored) as object) } : stored;
}

function samePart(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (!isContainer(a) || !isContainer(b) || Array.isArray(a) || Array.isArray(b)) return false;
  const keys = Object.keys(a);
  return (
    keys.length === Object.keys(b).length &&
    keys.every((key) => a[key] === (b as Container & Record<string, unknown>)[key])
  );
}

/** Makes a storage for `createRuntime` out of any area. `open` is called once a runtime. */
export const storageIn = (open: (report: (problem: FloeError) => void) => StorageArea): Attachment<Persistence> => ({
  [ATTACH](host) {
    const early: FloeError[] = [];
    const keeper = new Keeper(
      host,
      open((problem) => early.push(problem)),
    );
    for (const problem of early) {
      keeper.problems.push(problem);
      host.problem(problem);
    }
    return { face: keeper, listener: keeper };
  },
});
