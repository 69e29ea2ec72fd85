// Where the address is shown: a browser's own bar, or a router.

/** Where the address is shown: a browser's own bar, or a router. Three functions, and two for what has a history. */
export interface AddressBar {
  /** The address now: a path with its query and fragment. */
  now(): string;
  /**
   * Shows another address, as a new entry of the history or in place of the present one. A router that takes its time returns
   * a promise: until it settles, `now` and `watch` do not count, and what `now` says after that does.
   */
  show(url: string, how: 'push' | 'replace'): void | PromiseLike<unknown>;
  /** Calls `listener` when the user went somewhere. Returns a function that stops it. */
  watch(listener: () => void): () => void;
  /**
   * Which entry of the history is shown: a number that goes up from entry to entry. With it, a refused "back" goes to the
   * entry that the user left. Default: that is not known, and the address of the entry is replaced.
   */
  position?(): number | undefined;
  /** Goes to an entry of the history, by how far it is: -1 is the one before. `watch` reports it, now or later. */
  go?(distance: number): void;
}
