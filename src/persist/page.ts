// The end of a page, as far as it can be foreseen: it is hidden (the last thing that a phone tells), or left.

interface Page {
  addEventListener?(type: string, listener: (event: StorageEvent) => void): void;
  removeEventListener?(type: string, listener: (event: StorageEvent) => void): void;
  readonly document?: Page & { readonly visibilityState: string };
}

/** Calls `flush` whenever the page is hidden or left. Where there is no page it never does. */
export function whenPageEnds(flush: () => void): () => void {
  const page = globalThis as Page;
  const { document } = page;
  const hidden = (): void => {
    if (document?.visibilityState === 'hidden') flush();
  };
  page.addEventListener?.('pagehide', flush);
  document?.addEventListener?.('visibilitychange', hidden);
  return () => {
    page.removeEventListener?.('pagehide', flush);
    document?.removeEventListener?.('visibilitychange', hidden);
  };
}

/** The part of the browser's event that counts here. */
interface StorageEvent {
  readonly storageArea?: object | null;
  readonly key?: string | null;
}

/** Calls `stored` whenever another page has written to a Web Storage area. Where there is no page it never does. */
export function whenStored(
  stored: (area: object | null | undefined, key: string | null | undefined) => void,
): () => void {
  const page = globalThis as Page;
  const notified = ({ storageArea, key }: StorageEvent): void => stored(storageArea, key);
  page.addEventListener?.('storage', notified);
  return () => page.removeEventListener?.('storage', notified);
}

/** Calls `retry` whenever the host says that the network is back. Where no host says so it never does. */
export function whenOnline(retry: () => void): () => void {
  const page = globalThis as Page;
  page.addEventListener?.('online', retry);
  return () => page.removeEventListener?.('online', retry);
}
