// Ties an address store to a browser, or to a router that is there already.
import { definitionOf, hostOf, listen, sameData, type Store, type Transition } from '../core/internal.js';
import type { AnyAction, Its, Runtime } from '../core/index.js';
import { LocationDefinition } from './definition.js';
import { notAnAddress } from './errors.js';

/** Where the address is shown: a browser's own bar, or a router. Three functions, and two for what has a history. */
export interface AddressBar {
  /** The address now: a path with its query and fragment. */
  now(): string;
  /** Shows another address, as a new entry of the history or in place of the present one. */
  show(url: string, how: 'push' | 'replace'): void;
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

/** A place on the way of a user that waits for a decision: the address, and which entry it is. */
interface Asked {
  readonly url: string;
  readonly position: number;
}

/** An address store, or a copy of one. */
type Address = { parse(url: string): unknown; hrefOf(place: never): string } | Its<string>;

/**
 * Ties an address store to a browser: the store begins where the browser is, going somewhere adds an entry to the
 * browser's history, and the user's own back and forward are actions of theirs. Where an interceptor stops or holds one, the
 * browser goes to the entry that the user left. A look at another time shows its address without adding entries.
 * @param bar default: the browser's own
 * @returns a function that unties it
 * @throws FLOE_NOT_A_STORE, FLOE_BAD_PLACE for a store that is no address
 * @example
 * const runtime = createRuntime({ stores: [address, visits], trace: recording() });
 * linkAddress(runtime, address);
 */
export function linkAddress(runtime: Runtime, address: Address, bar: AddressBar = browserAddress()): () => void {
  const store = definitionOf(address as unknown as Store);
  if (!(store instanceof LocationDefinition)) throw notAnAddress(store.name);
  const link = new AddressLink(runtime, store, bar);
  return () => link.stop();
}

class AddressLink {
  /** The user's own way is being followed. */
  private following = false;
  /** The entry that shows the present place. */
  private position: number | undefined;
  private asked: Asked | undefined;
  private readonly ends: (() => void)[];

  constructor(
    private readonly runtime: Runtime,
    private readonly store: LocationDefinition,
    private readonly bar: AddressBar,
  ) {
    this.follow();
    this.ends = [
      listen(hostOf(runtime), {
        transition: (transition: Transition) => this.changed(transition),
        travelled: () => this.show('replace'),
        close: () => this.stop(),
      }),
      bar.watch(() => this.follow()),
    ];
    this.position = bar.position?.();
  }

  stop(): void {
    for (const end of this.ends) end();
  }

  private get present(): unknown {
    return this.runtime.read(this.store);
  }

  /** The user went somewhere. */
  private follow(): void {
    const { bar, store } = this;
    const place = store.spelling.parse(bar.now());
    const before = this.present;
    if (sameData(place, before)) {
      this.position = bar.position?.();
      return;
    }
    const action: AnyAction = { type: `${store.name}.went`, payload: place };
    const asked = { url: bar.now(), position: bar.position?.() };
    this.following = true;
    try {
      hostOf(this.runtime).dispatch(action, { by: 'address' });
    } finally {
      this.following = false;
      // It may be refused, or wait for an answer: then the browser is not where it was sent.
      if (Object.is(this.present, before)) this.goBack(asked);
      else this.position = bar.position?.();
    }
  }

  /** To the entry that the user left; where entries are not known, its address takes the place of this one's. */
  private goBack({ url, position }: { readonly url: string; readonly position: number | undefined }): void {
    const { bar } = this;
    if (position === undefined || this.position === undefined || position === this.position || !bar.go)
      return this.show('replace');
    this.asked = { url, position };
    bar.go(this.position - position);
  }

  private changed({ changed, cause, action, unseen }: Transition): void {
    const { store, bar } = this;
    if (unseen || !changed.some((change) => change.store.name === store.name)) return;
    if (cause.by === 'address' && !this.following && this.goesTo(this.asked)) return;
    // The browser went there itself; where it went may have another spelling.
    const isUsers = this.following || cause.by === 'address';
    this.show(action && !isUsers && !store.replaces(action) ? 'push' : 'replace');
    this.position = bar.position?.();
  }

  /** The user's way was decided later: the entry that they went to is still there, unless another one took its place. */
  private goesTo(asked: Asked | undefined): boolean {
    const { bar } = this;
    this.asked = undefined;
    if (!asked || this.position === undefined || asked.url !== this.url) return false;
    bar.go!(asked.position - this.position);
    return true;
  }

  private get url(): string {
    return this.store.spelling.hrefOf(this.present as never);
  }

  private show(how: 'push' | 'replace'): void {
    const { bar, url } = this;
    if (url === bar.now()) return;
    // What comes after a new entry is gone.
    if (how === 'push' && this.asked && this.asked.position > (this.position ?? 0)) this.asked = undefined;
    bar.show(url, how);
  }
}
