// Whether everything that is stored was read, for bindings. The core knows no storage: it asks what is attached.

/** What `runtime.persistence` offers, as far as bindings need it. */
interface PersistenceStatus {
  readonly status: string;
  watch(listener: () => void): () => void;
}

/** Says whether everything was read, and when that may have changed. */
export interface Readiness {
  readonly isReady: () => boolean;
  readonly watch: (listener: () => void) => () => void;
}

/** A runtime without a storage is ready. */
export function readinessOf(runtime: object): Readiness {
  const { persistence } = runtime as { readonly persistence?: PersistenceStatus };
  const isReady = (): boolean => persistence?.status !== 'reading';
  const watch = (listener: () => void): (() => void) => {
    if (!persistence) return () => undefined;
    let was = isReady();
    // A storage has news of each change that it writes.
    return persistence.watch(() => {
      if (was === isReady()) return;
      was = !was;
      listener();
    });
  };
  return { isReady, watch };
}
