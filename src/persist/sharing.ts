// What a storage needs of the sharing between tabs, which an application brings with `sharedTabs()`.
import type { Cell, Extensible, Feature, FloeError, Hooks } from '../core/internal.js';
import type { Opening } from './opening.js';
import type { StorageSession } from './session.js';
import type { ForeignStores } from './tabs/foreign-stores.js';
import type { TabsHost } from './tabs/tab.js';
import type { Tabs } from './tabs/tabs.js';

/** Brings in the states of stores that are still being read. */
export type LateStates = Feature<Hooks & { fill(cell: Cell, stored: PromiseLike<unknown>): void }>;

/** The machinery of one runtime. */
export interface Sharing {
  readonly late: LateStates;
  hosted(session: StorageSession, opening: Opening): ForeignStores;
  tabs(kernel: Extensible, engine: TabsHost): Tabs;
}

export const SHARES: unique symbol = Symbol('floe.shares');

/** What `sharedTabs()` makes, for the option `tabs` of a storage. */
export interface TabSharing {
  /** @param place names what the tabs share; empty where a link of one's own is needed */
  readonly [SHARES]: (place: string, report: (problem: FloeError) => void) => Sharing | undefined;
}
