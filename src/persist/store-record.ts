// What is known of the stored text of one store: a baseline and a journal of changes.
import type { StoreDefinition } from '../core/internal.js';
import type { KeptPart } from './kept-part.js';
import type { LogEnd } from './log.js';
import { Turns } from './turns.js';

/** In the place of a part: nothing is stored. */
export const NOTHING = Symbol('nothing');

/** A write of which it is not known whether it was done. */
export interface Attempt {
  readonly number: number;
  readonly sum: string;
  readonly part: unknown;
  /** The part of this session that was joined with another session's; memory has not got the result. */
  readonly own?: unknown;
}

export interface StoreRecord {
  /** As it is declared now: a reloaded module may declare it once more. */
  store: StoreDefinition;
  kept: KeptPart;
  readonly turns: Turns;
  /** `untouchable`: what is stored must not be overwritten. `unread`: it could not be read yet, which is tried again. */
  phase: 'reading' | 'ready' | 'untouchable' | 'unread';
  /** The kept part that a session begins with while nothing is stored. */
  readonly initial: unknown;
  /** The kept part as it was when nothing was stored; what another writer stores then began there too. */
  began: unknown;
  /** The store has changed since what was stored was forgotten: then even the same state is stored again. */
  changedAfterForget: boolean;
  /** The kept part as it is stored. */
  stored: unknown;
  /** How the stored text begins; absent where nothing is stored. */
  head: string | undefined;
  /** Where a change can be added; absent where the whole must be written. */
  end: LogEnd | undefined;
  /** The checksums of the lines that the stored text replaces, and of its own, oldest first. */
  lineage: readonly string[];
  /**
   * What this session read last, and what it has written since, oldest first: where another writer overwrites that without
   * having seen it, the two began with one of these. Empty where the place notices such writes itself.
   */
  history: readonly { readonly sum: string | undefined; readonly part: unknown }[];
  /**
   * What this session tried to write since it last heard that a write was done, oldest first: any of these may stand there,
   * though the response was lost.
   */
  attempts: readonly Attempt[];
  unsaved: boolean;
  /** It is being read once more, and something of it was not stored before. */
  rereading: boolean;
  /** Something was done to it since a read of what is stored began. */
  isTouched: boolean;
  /** A write is under way. */
  writing: boolean;
  /** A save waits for its turn. */
  expected: boolean;
  /** While memory takes over what was joined with another session's state. */
  joining: Promise<void> | undefined;
  /** The part that was joined, and the result: what is changed before memory has the result goes on top of that. */
  over: { readonly part: unknown; readonly result: unknown } | undefined;
  /** Why the last write failed, and how it is tried again: after so many milliseconds, unless `stop` is called. */
  failure: { readonly why: string; readonly pause: number; readonly stop: (() => void) | undefined } | undefined;
  /** Another place may hold a copy from before the store moved here. */
  moved: boolean;
  /** Only other tabs have it: their leader keeps it for them. */
  hosted: boolean;
}

export const newRecord = (store: StoreDefinition, kept: KeptPart, initial: unknown): StoreRecord => ({
  store,
  kept,
  turns: new Turns(),
  phase: 'reading',
  initial,
  began: initial,
  changedAfterForget: false,
  stored: NOTHING,
  head: undefined,
  end: undefined,
  lineage: [],
  history: [],
  attempts: [],
  isTouched: false,
  unsaved: false,
  rereading: false,
  writing: false,
  expected: false,
  joining: undefined,
  over: undefined,
  failure: undefined,
  moved: false,
  hosted: false,
});
