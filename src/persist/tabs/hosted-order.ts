// The order of stores that only other tabs have, as long as this tab leads.
import type { StoreDefinition } from '../../core/internal.js';
import type { KeptPart } from '../kept-part.js';
import { versionOf } from '../upgrade.js';
import type { Leader } from './leader.js';
import type { Standing } from './messages.js';
import type { Tab } from './tab.js';

export class HostedOrder {
  constructor(
    private readonly tab: Tab,
    private readonly leader: Leader,
    private readonly plan: () => void,
  ) {}

  /** The storage was read for a store that only other tabs have. */
  read(name: string, part: unknown, [, , line, number]: Standing): void {
    const one = this.tab.shared.get(name)!;
    Object.assign(one, { began: part, ordered: part, alone: { since: part }, reading: false, isOrderKnown: true });
    // It goes on in the order that another leader began.
    if (line > 0) Object.assign(one, { firstTerm: line, revision: number });
    this.leader.announce([name]);
  }

  /** The part of a store that only other tabs have. */
  part(name: string): unknown {
    return this.tab.shared.get(name)!.ordered;
  }

  /** It became another part here: what is stored was joined with it. */
  change(name: string, part: unknown): void {
    this.leader.order('rehydrated', new Map([[name, part]]));
  }

  /** Now this tab has the store too. */
  adopt(store: StoreDefinition, kept: KeptPart, state: unknown): void {
    const one = this.tab.shared.get(store.name)!;
    const isSame = versionOf(one.store) === versionOf(store);
    Object.assign(one, { store, kept, seen: state, hosted: false });
    if (isSame) return this.leader.order('joined', new Map([[store.name, state]]));
    // The order of an older version ends; what is done before the next one begins is pending.
    Object.assign(one, { revision: undefined, ordered: kept.of(state), alone: undefined, isOrderKnown: false });
    this.tab.unheard.add(store.name);
    this.plan();
  }

  drop(name: string): void {
    this.tab.shared.delete(name);
  }
}
