// The contract of a storage: texts under keys. A storage of one's own implements these four.

/** A place that keeps texts under keys. */
export interface StorageArea {
  /** The text under a key, if there is one. */
  read(key: string): string | undefined;
  /** Keeps a text, whole or not at all; throws when it cannot. */
  write(key: string, text: string): void;
  /** Forgets a key; one that is not there is no error. */
  remove(key: string): void;
  /** All keys, in any order. */
  keys(): readonly string[];
}

/** An area in memory: for tests, and for where nothing else may be written. */
export function memoryArea(texts = new Map<string, string>()): StorageArea {
  return {
    read: (key) => texts.get(key),
    write: (key, text) => void texts.set(key, text),
    remove: (key) => void texts.delete(key),
    keys: () => [...texts.keys()],
  };
}
