// What a storage needs of the sharing between tabs, which an application brings with `sharedTabs()`.
import type { FloeError } from '../core/internal.js';
import type { Opening } from './opening.js';
import type { StorageSession } from './session.js';
import type { LateStates } from './stored-states.js';
import type { ForeignStores } from './tabs/foreign-stores.js';
import type { StorageParts } from './tabs/storage-side.js';
import type { Tabs } from './tabs/tabs.js';

/** The machinery of one runtime. */
export interface Sharing {
  readonly late: LateStates;
  hosted(session: StorageSession, opening: Opening): ForeignStores;
  tabs(session: StorageSession, parts: StorageParts): Tabs;
}

export const SHARES: unique symbol = Symbol('floe.shares');

/** What `sharedTabs()` makes, for the option `tabs` of a storage. */
export interface TabSharing {
  /** @param place names what the tabs share; empty where a link of one's own is needed */
  readonly [SHARES]: (place: string, report: (problem: FloeError) => void) => Sharing | undefined;
}
