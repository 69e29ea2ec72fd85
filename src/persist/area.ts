// The contract of a storage: texts under keys. A storage of one's own implements the first four.

/** A value now, or a promise of it. */
export type MaybeAsync<T> = T | PromiseLike<T>;

/** A place that keeps texts under keys. Each function answers at once or with a promise; what fails throws or rejects. */
export interface StorageArea {
  /**
   * The text under a key, if there is one.
   * @param onBytes may be given the UTF-8 bytes of the whole text, piece by piece, while more of them are on their way:
   * their checksum then takes no time of its own. Most places need not care
   */
  read(key: string, onBytes?: (bytes: Uint8Array) => void): MaybeAsync<string | undefined>;
  /** Keeps a text, whole or not at all; fails when it cannot. */
  write(key: string, text: string): MaybeAsync<void>;
  /** Forgets a key; one that is not there is no error. */
  remove(key: string): MaybeAsync<void>;
  /** All keys, in any order. */
  keys(): MaybeAsync<readonly string[]>;
  /**
   * Adds a text to the end of what is under a key. Optional, for places that can: then no other session writes there, and
   * what is under a key may end in the middle of a text that was being added. Without it, each addition has its own key.
   */
  append?(key: string, text: string): MaybeAsync<void>;
  /**
   * Keeps a text under a key and removes other keys, if texts still begin as given: all in one step. Otherwise it changes
   * nothing and throws `StorageConflict`. Optional, for places with several writers that can do so.
   */
  writeIf?(key: string, text: string, beginnings: readonly Beginning[], remove: readonly string[]): MaybeAsync<void>;
  /**
   * Keeps the bytes under a key aside as they are, under another name that `keys` does not give: for places whose bytes may
   * be no text at all. `remove(aside)` removes them, too. Optional.
   */
  keepBytes?(key: string, aside: string): MaybeAsync<void>;
  /**
   * Several writers share the place, and only a whole text can be written without losing what another one wrote: additions
   * are not used. Such a `write` throws `StorageConflict` where another writer was faster. Optional.
   */
  readonly isShared?: boolean;
  /** Arranges that `flush` is called when the session may be about to end. Returns a function that ends that. Optional. */
  beforeEnd?(flush: () => void): () => void;
  /** Arranges that `retry` is called when the place can be reached again. Returns a function that ends that. Optional. */
  backAgain?(retry: () => void): () => void;
  /**
   * Arranges that `changed` is called with a key when another writer has written or removed its text. Returns a function
   * that ends that. Optional.
   */
  watch?(changed: (key: string) => void): () => void;
  /** Nothing is read or written any more. Optional. */
  close?(): void;
}

/** How the text under a key begins; `undefined`: there is none. */
export interface Beginning {
  readonly key: string;
  readonly begins: string | undefined;
}

/** Whether a text begins as given. */
export const beginsWith = (text: string | undefined, begins: string | undefined): boolean =>
  begins === undefined ? text === undefined : text?.startsWith(begins) === true;

/** Another writer has stored something under a key since this one read it: the text there is still the other's. */
export class StorageConflict extends Error {}

/**
 * An area in memory: for tests, and for where nothing else may be written.
 * @param texts what is stored, by key. Default: nothing
 * @example
 * const area = memoryArea(new Map([['log', text]]));
 */
export function memoryArea(texts = new Map<string, string>()) {
  return {
    read: (key: string): string | undefined => texts.get(key),
    write: (key: string, text: string): void => void texts.set(key, text),
    remove: (key: string): void => void texts.delete(key),
    keys: (): readonly string[] => [...texts.keys()],
  } satisfies StorageArea;
}
