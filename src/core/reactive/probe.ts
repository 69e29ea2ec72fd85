// What an inspector learns beside transitions: which derived values were computed, at what cost and from what, and which
// watchers were notified. Without an inspector that costs the load of one reference for each computation and notification.

/** Observes all runtimes of this copy of Floe. */
export interface Probe {
  /** A value was derived, because it was read, and what it reads itself may have changed. */
  computed(reader: object, computation: Computation): void;
  /** A watcher of a source was notified, of a value or of an error. */
  notified(reader: object): void;
}

/** One derivation of a value. */
export interface Computation {
  /** `first`: there was none before. `same`: computed for nothing, the value is the one that it was. */
  readonly outcome: 'first' | 'changed' | 'same' | 'failed';
  /** Absent where there was none, or the derivation threw. */
  readonly before?: unknown;
  /** The value, or what the derivation threw. */
  readonly after: unknown;
  /** Milliseconds, with those of what it asked for meanwhile. */
  readonly took: number;
}

/** All probes that observe, as one; absent while there is none. */
export let probe: Probe | undefined;
const probes = new Set<Probe>();

/** Observes from now on. Returns a function that ends it. */
export function observe(one: Probe): () => void {
  probes.add(one);
  choose();
  return () => {
    probes.delete(one);
    choose();
  };
}

function choose(): void {
  const [first, ...others] = probes;
  probe =
    others.length === 0
      ? first
      : {
          computed: (reader, computation) => probes.forEach((one) => one.computed(reader, computation)),
          notified: (reader) => probes.forEach((one) => one.notified(reader)),
        };
}
