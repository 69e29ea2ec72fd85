// Ties an address store to a browser, or to a router that is there already.
import { definitionOf, hostOf, listen, sameData, type Store, type Transition } from '../core/internal.js';
import type { AnyAction, Its, Runtime } from '../core/index.js';
import { LocationDefinition } from './definition.js';
import { notAnAddress } from './errors.js';
import type { AddressBar } from './address-bar.js';
import { browserAddress } from './browser-address.js';

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
  /** The address that a router is on its way to. */
  private ahead: { readonly url: string } | undefined;
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
      bar.watch(() => {
        if (!this.ahead) this.follow();
      }),
    ];
    this.position = bar.position?.();
  }

  stop(): void {
    this.ahead = undefined;
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
    if (url === (this.ahead?.url ?? bar.now())) return;
    // What comes after a new entry is gone.
    if (how === 'push' && this.asked && this.asked.position > (this.position ?? 0)) this.asked = undefined;
    // What the router says before it has moved is of no account.
    const ahead = (this.ahead = { url });
    const settled = (): void => {
      // Another one may have overtaken it.
      if (this.ahead !== ahead) return;
      this.ahead = undefined;
      // The router may have refused it, or led elsewhere.
      this.follow();
    };
    let shown: void | PromiseLike<unknown>;
    try {
      shown = bar.show(url, how);
    } catch (error) {
      this.ahead = undefined;
      throw error;
    }
    if (shown) shown.then(settled, settled);
    else settled();
  }
}
