// Ties an address store to a browser, or to a router that is there already.
import { definitionOf, hostOf, listen, sameData, type Store, type Transition } from '../core/internal.js';
import type { AnyAction, Runtime } from '../core/index.js';
import type { LocationDefinition } from './definition.js';

/** Where the address is shown: a browser's own bar, or a router. Three functions. */
export interface AddressBar {
  /** The address now: a path with its query and fragment. */
  now(): string;
  /** Shows another address, as a new entry of the history or in place of the present one. */
  show(url: string, how: 'push' | 'replace'): void;
  /** Calls `listener` when the user went somewhere. Returns a function that stops it. */
  watch(listener: () => void): () => void;
}

/**
 * The address bar of the browser that runs this, by the History API.
 * @example
 * linkAddress(runtime, address, browserAddress());
 */
export const browserAddress = (): AddressBar => ({
  now: () => globalThis.location.pathname + globalThis.location.search + globalThis.location.hash,
  show(url, how) {
    if (how === 'push') history.pushState(null, '', url);
    else history.replaceState(null, '', url);
  },
  watch(listener) {
    addEventListener('popstate', listener);
    return () => removeEventListener('popstate', listener);
  },
});

interface Address {
  parse(url: string): unknown;
  hrefOf(place: never): string;
  readonly went: { readonly type: string };
}

/**
 * Ties an address store to a browser: the store begins where the browser is, going somewhere adds an entry to the
 * browser's history, and the user's own back and forward are actions of theirs. A look at another time shows its address
 * without adding entries.
 * @param bar default: the browser's own
 * @returns a function that unties it
 * @example
 * const runtime = createRuntime({ stores: [address, visits], trace: recording() });
 * linkAddress(runtime, address);
 */
export function linkAddress(runtime: Runtime, address: Address, bar: AddressBar = browserAddress()): () => void {
  const host = hostOf(runtime);
  const store = definitionOf(address as unknown as Store) as unknown as LocationDefinition;
  const present = (): unknown => runtime.read(address as unknown as Store);
  /** The user's own way is being followed. */
  let following = false;
  const follow = (): void => {
    const place = address.parse(bar.now());
    if (sameData(place, present())) return;
    const action: AnyAction = { type: address.went.type, payload: place };
    following = true;
    try {
      host.dispatch(action, { by: 'address' });
    } finally {
      following = false;
      // It may be refused, or wait for an answer: then the browser is not where it was sent.
      show('replace');
    }
  };
  const show = (how: 'push' | 'replace'): void => {
    const url = address.hrefOf(present() as never);
    if (url !== bar.now()) bar.show(url, how);
  };
  follow();
  const stopListening = listen(host, {
    transition({ changed, cause, action, unseen }: Transition) {
      if (unseen || !changed.some((change) => change.store.name === store.name)) return;
      // The browser went there itself; where it went may have another spelling.
      const isUsers = following || cause.by === 'address';
      show(action && !isUsers && !store.replaces(action) ? 'push' : 'replace');
    },
    travelled: () => show('replace'),
    close: () => stop(),
  });
  const stopWatching = bar.watch(follow);
  const stop = (): void => {
    stopListening();
    stopWatching();
  };
  return stop;
}
