// The address bar of a browser, by its History API (HTML standard, section 7.2.6).
import type { AddressBar } from './address-bar.js';

/** Where the number of an entry stands in `history.state`. */
const ENTRY = 'floe.entry';

/**
 * The address bar of the browser that runs this, by the History API. The entries of the history get a number each, beside
 * what `history.state` holds.
 * @example
 * linkAddress(runtime, address, browserAddress());
 */
export function browserAddress(): AddressBar {
  const stateOf = (): object | undefined => {
    const state: unknown = history.state ?? {};
    // A number or a text belongs to the application: it stays as it is, and the entry has no number.
    return typeof state === 'object' && !Array.isArray(state) ? (state as object) : undefined;
  };
  const position = (): number | undefined => {
    const found = (stateOf() as { readonly [ENTRY]?: unknown } | undefined)?.[ENTRY];
    return typeof found === 'number' ? found : undefined;
  };
  let last = position() ?? 0;
  /** A new entry, a link to a fragment for example, comes after the one that was left. */
  const number = (): void => {
    const state = stateOf();
    if (position() === undefined && state) history.replaceState({ ...state, [ENTRY]: last + 1 }, '');
    last = position() ?? last;
  };
  return {
    now: () => globalThis.location.pathname + globalThis.location.search + globalThis.location.hash,
    show(url, how) {
      if (how === 'push') history.pushState({ [ENTRY]: ++last }, '', url);
      else history.replaceState(history.state, '', url);
    },
    watch(listener) {
      number();
      const moved = (): void => {
        number();
        listener();
      };
      addEventListener('popstate', moved);
      return () => removeEventListener('popstate', moved);
    },
    position,
    go: (distance) => history.go(distance),
  };
}
