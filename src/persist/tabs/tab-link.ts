// How tabs reach each other: what a link has to do.
import type { MaybeAsync } from '../area.js';

/**
 * How tabs reach each other. Floe has one for browsers; one's own is for tests, and for shells whose windows are not tabs.
 * What one tab sends reaches every other tab, in the order in which it was sent.
 */
export interface TabLink {
  /** Sends a message to all other tabs: data that a structured clone keeps. */
  send(message: unknown): void;
  /** Calls `listener` with what other tabs send. */
  listen(listener: (message: unknown) => void): void;
  /**
   * Asks to be the one that orders and writes. At any time there is one at most, and always one in the end. What others
   * sent before they left should be heard before a tab leads.
   * @param leads called when it is this tab; and again where another one led beside it and gave way
   * @param lost called when it is no longer this tab; links that never take it away do not call it
   */
  lead(leads: () => void, lost: () => void): void;
  /**
   * How many other tabs ask to lead. One that is about to lead waits until so many have said what they know of the leader
   * before. Default: it waits for none.
   */
  others?(): MaybeAsync<number>;
  /** Leaves. If this tab led, another may. */
  close(): void;
}
