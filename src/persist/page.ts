// The end of a page, as far as it can be foreseen: it is hidden (the last thing that a phone tells), or left.

interface Page {
  addEventListener?(type: string, listener: () => void): void;
  removeEventListener?(type: string, listener: () => void): void;
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

/** Calls `retry` whenever the host says that the network is back. Where no host says so it never does. */
export function whenOnline(retry: () => void): () => void {
  const page = globalThis as Page;
  page.addEventListener?.('online', retry);
  return () => page.removeEventListener?.('online', retry);
}
