// What a runtime offers of its persistence.
import type { FloeError } from '../core/internal.js';
import type { AnyStore } from '../core/index.js';
import type { TabRole } from './tabs/tab.js';

/** What a runtime keeps between sessions, and what became of it. */
export interface Persistence {
  /** `reading`: what is stored is still being read. `ready`: it was read, and changes are stored. */
  readonly status: 'reading' | 'ready' | 'closed';
  /**
   * What this tab is among those that share its state: `leading` orders what all of them do, and writes; `following` leaves
   * that to another; `asking` does not know yet; `alone` shares nothing. What should be done once a browser, not once a
   * tab, is the business of the one that leads; `watch` tells when that changes.
   */
  readonly tab: TabRole;
  /** The names of the stores with changes that are not stored yet. */
  readonly pending: readonly string[];
  /** Everything that went wrong so far, oldest first. */
  readonly problems: readonly FloeError[];
  /**
   * Stores what is not stored yet. On a storage that answers at once it has happened when this returns.
   * @returns `true` when all changes are stored, `false` when something went wrong: see `problems`. Never rejects
   */
  flush(): Promise<boolean>;
  /**
   * Reads once more what is stored, of some stores or of all, and puts it in place: a step of its own. What this session
   * changed and did not store yet stays, on top of it.
   * @returns `true` when all of it was read, `false` when something went wrong: see `problems`. Never rejects
   */
  rehydrate(...stores: AnyStore[]): Promise<boolean>;
  /**
   * Forgets what is stored for some stores, or for all, what was set aside too. Memory stays; the next change stores again.
   * @returns `true` when it is gone, `false` when something went wrong: see `problems`. Never rejects
   */
  forget(...stores: AnyStore[]): Promise<boolean>;
  /** What is stored now, by store, and what was set aside. Rejects when it cannot be read. */
  list(): Promise<readonly StoredItem[]>;
  /** All keys and texts as they are stored: for a file that `floe stored` reads. Rejects when they cannot be read. */
  texts(): Promise<Readonly<Record<string, string>>>;
  /**
   * Calls `listener` whenever something was stored, was forgotten or went wrong, or `tab` is another one. Returns a function
   * that stops it.
   */
  watch(listener: () => void): () => void;
}

/** Something that is stored. */
export interface StoredItem {
  readonly store: string;
  readonly kind: 'state' | 'set aside';
  /** How many characters it takes. */
  readonly size: number;
  /** Of a state: the kept part. */
  readonly state?: unknown;
  /** Of a state: the version of the store that wrote it. */
  readonly version?: number;
  /** Of a state: how many changes are kept beside the whole. */
  readonly changes?: number;
  /** Of a state that a newer floe stored: its format. It is left untouched. */
  readonly newer?: string;
  /** What is wrong with it, or why it was set aside. */
  readonly why?: string;
  /** Of what was set aside: its key, the text, and when, in epoch milliseconds. */
  readonly key?: string;
  readonly text?: string;
  readonly time?: number;
}
