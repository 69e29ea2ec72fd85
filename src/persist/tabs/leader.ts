// The leader orders what all tabs do, and writes. It runs no other tab's code: proposals are patches of the kept parts,
// each with the revision on which it was computed, and the leader accepts only those that are computed on the last one.
import { confirmedStates, decode, difference, encode, isThenable, messageOf } from '../../core/internal.js';
import { mergeSessions } from '../session-merge.js';
import { versionOf } from '../upgrade.js';
import type { Message, Proposal, Standing } from './messages.js';
import type { DeedParts } from './pending.js';
import { Succession, type KnownOrder } from './succession.js';
import type { SharedStore, Tab } from './tab.js';

export class Leader {
  /** It leads as soon as it knows what is stored. */
  private taking = false;

  readonly succession: Succession;

  /** @param ask asks the leader, a moment later, for the stores that are not heard of */
  constructor(
    private readonly tab: Tab,
    private readonly ask: () => void,
  ) {
    this.succession = new Succession(tab);
  }

  /** It is this tab's turn: it takes over what the others know of the leader before, and reads the rest from the storage. */
  take(began: () => void): void {
    if (this.tab.closed || this.taking) return;
    this.taking = true;
    this.succession.ask((known) => this.takeOver(known, began));
  }

  private takeOver(known: KnownOrder, began: () => void): void {
    const { tab } = this;
    if (tab.closed || !this.taking) return;
    this.know(known);
    const isAlone = ({ reading, revision }: SharedStore): boolean => !reading && revision === undefined;
    const alone = Array.from(tab.shared.values()).filter(isAlone);
    const begin = (since: DeedParts): void => {
      if (tab.closed || !this.taking) return;
      this.taking = false;
      const later = Array.from(tab.shared.values()).filter((one) => isAlone(one) && !alone.includes(one));
      for (const one of later) one.reading = true;
      this.begin(since);
      for (const one of later) this.readAgain(one);
      for (const [name, standing] of known) if (!tab.shared.has(name)) tab.engine.hosted?.keep(standing);
      began();
    };
    const since = tab.engine.storedSince(alone.map(({ store }) => store.name));
    if (isThenable(since)) void since.then(begin);
    else begin(since);
  }

  /** Takes over what another tab knows better. */
  private know(known: KnownOrder): void {
    const { tab } = this;
    for (const [name, version, firstTerm, revision, part] of known.values()) {
      const one = tab.shared.get(name);
      if (!one || versionOf(one.store) !== version) continue;
      const standing = { firstTerm, revision, ordered: decode(part) };
      if (one.reading) one.known = standing;
      else Object.assign(one, standing, { alone: undefined });
    }
    const own = tab.done.get(tab.id) ?? 0;
    tab.pendings.list = tab.pendings.list.filter(({ id }) => id > own);
  }

  /** Another leader may have stored it since this tab began to read it. */
  readAgain(one: SharedStore): void {
    const { tab } = this;
    const { name } = one.store;
    const take = (since: DeedParts): void => {
      one.reading = false;
      const { known } = one;
      one.known = undefined;
      if (tab.role !== 'leading') tab.unheard.add(name);
      else if (known) {
        Object.assign(one, known);
        this.takeIn([name], since);
        this.announce([name]);
        tab.engine.adopt([name]);
      } else this.enter([name], since);
      this.ask();
    };
    const since = tab.engine.storedSince([name]);
    if (isThenable(since)) void since.then(take);
    else take(since);
  }

  /** Stores that this tab has read join the order. */
  enter(names: readonly string[], since: DeedParts = new Map()): void {
    this.takeIn(
      names.filter((name) => this.tab.shared.get(name)?.revision === undefined),
      since,
    );
    this.announce(names);
  }

  /** Stores get an order: what is stored, and on top of it what this tab did. */
  private takeIn(names: readonly string[], since: DeedParts): void {
    const { tab } = this;
    const parts: DeedParts = new Map();
    for (const name of names) {
      const one = tab.shared.get(name)!;
      // It may have heard of the leader before just now.
      if (one.revision === undefined) {
        one.ordered = this.beginningOf(one, since);
        // What this tab did alone is what goes beyond it: another leader has read that, too.
        if (since.has(name)) one.alone = { since: since.get(name) };
      }
      parts.set(name, one.ordered);
    }
    tab.rebase(parts, 'earlier');
    for (const name of names) tab.shared.get(name)!.isOrderKnown = true;
    const isReading = (name: string): boolean => tab.shared.get(name)?.reading === true;
    tab.pendings.list = tab.pendings.list.filter(({ result }) => Array.from(result.keys()).some(isReading));
  }

  /** What an order begins with: what is stored, and what this tab did while it went its own way, beside another version. */
  private beginningOf(one: SharedStore, since: DeedParts): unknown {
    const { store, kept, isOrderKnown, seen, alone, ordered, hosted } = one;
    const { name } = store;
    if (!isOrderKnown || hosted || !alone) return since.has(name) ? since.get(name) : ordered;
    const own = kept.of(seen);
    return since.has(name) ? mergeSessions(alone.since, own, since.get(name), store.kept?.onConflict).result : own;
  }

  /** Another tab leads, and did so before this one. */
  giveUp(): void {
    const { tab } = this;
    tab.role = 'asking';
    // The one that stays may have begun before it.
    tab.term = 0;
    this.taking = false;
    this.succession.giveUp();
    tab.engine.hosted?.drop();
    for (const [name, { reading }] of tab.shared) if (!reading) tab.unheard.add(name);
    tab.engine.becomes('asking');
  }

  /** Another tab led beside this one, and gave way: who followed it follows this one from now on. */
  stay(): void {
    const { tab } = this;
    tab.term = Math.max(tab.term, tab.latestTerm) + 1;
    this.announce([...tab.shared.keys()]);
  }

  private begin(since: DeedParts): void {
    const { tab } = this;
    const inStep = Array.from(tab.shared).filter(([, { revision }]) => revision !== undefined);
    const last = tab.pendings.list.at(-1);
    const read = Array.from(tab.shared).filter(([, { reading }]) => !reading);
    this.takeIn(
      read.map(([name]) => name),
      since,
    );
    // The leader's own pending actions are in order now, but for stores that it still reads.
    const open = tab.pendings.list.at(0);
    if (last) tab.done.set(tab.id, open ? open.id - 1 : last.id);
    tab.leader = undefined;
    tab.term = Math.max(tab.latestTerm + 1, tab.term + 1, tab.host.now());
    tab.role = 'leading';
    tab.unheard.clear();
    this.announce([...tab.shared.keys()]);
    tab.engine.adopt(inStep.map(([name]) => name));
    tab.engine.becomes('leading');
  }

  /** Says where stores stand, from which the followers go on. */
  announce(names: readonly string[], to?: string): void {
    const { tab } = this;
    const states = confirmedStates(tab.host);
    // A response begins no order: that is said to all.
    const isOpen = ({ reading, revision }: SharedStore): boolean =>
      reading || (to !== undefined && revision === undefined);
    const stores = names.flatMap((name) => {
      const one = tab.shared.get(name);
      if (!one || isOpen(one)) return [];
      if (one.revision === undefined || to === undefined) {
        if (one.revision === undefined) Object.assign(one, { firstTerm: tab.term, revision: 0 });
        if (!one.hosted) {
          one.seen = states[name];
          one.ordered = one.kept.of(states[name]);
        }
        one.alone ??= { since: one.ordered };
      }
      return [[name, versionOf(one.store), one.firstTerm, one.revision!, encode(one.ordered)] as const];
    });
    const wanted = names.filter((name) => !tab.shared.has(name));
    const reading = names.filter((name) => wanted.includes(name) || isOpen(tab.shared.get(name)!));
    tab.send({
      kind: 'leads',
      from: tab.id,
      ...(to !== undefined && { to }),
      reading,
      wanted,
      term: tab.term,
      done: [...tab.done],
      stores,
    });
  }

  /** What this tab did is the next revision. */
  order(type: string, after: ReadonlyMap<string, unknown>): void {
    const { tab } = this;
    const changes: (readonly [string, number, unknown])[] = [];
    for (const [name, state] of after) {
      const one = tab.shared.get(name)!;
      if (one.revision === undefined) continue;
      const part = one.kept.of(state);
      const patch = difference(one.ordered, part).changes;
      one.ordered = part;
      if (patch.length > 0) changes.push([name, ++one.revision, encode(patch)]);
    }
    if (changes.length > 0) tab.send({ kind: 'ordered', from: tab.id, term: tab.term, type, changes });
  }

  /** Another tab says where a store stands: this one keeps it, unless another was faster, or the application here has it now. */
  hear(from: string, standing: Standing): void {
    const [name] = standing;
    if (this.tab.shared.has(name)) this.announce([name], from);
    else this.tab.engine.hosted?.keep(standing);
  }

  judge(from: string, proposal: Proposal): void {
    const { tab } = this;
    const { id, attempt, previous, type, changes } = proposal;
    const refuse = (why?: string): void =>
      tab.send({ kind: 'refused', from: tab.id, to: from, id, attempt, ...(why !== undefined && { why }) });
    const isNext = changes.every(([name, revision]) => tab.shared.get(name)?.revision === revision);
    if (!isNext || previous !== (tab.done.get(from) ?? 0)) return refuse();
    const next = tab.applied(changes, (error) => refuse(messageOf(error)));
    if (next) this.accept({ tab: from, id }, type, changes, next);
  }

  private accept(
    of: { readonly tab: string; readonly id: number } | undefined,
    type: string,
    changes: Proposal['changes'],
    next: DeedParts,
  ): void {
    const { tab } = this;
    if (of) tab.done.set(of.tab, of.id);
    const ordered = changes.map(([name, , patch]) => [name, ++tab.shared.get(name)!.revision!, patch] as const);
    for (const [name, part] of next) tab.shared.get(name)!.ordered = part;
    tab.send({ kind: 'ordered', from: tab.id, term: tab.term, ...(of && { of }), type, changes: ordered });
    tab.show(next, type);
  }

  /** The leader before ordered it, and left: this one orders it once more, if nothing came between. */
  hearOrdered({ term, of, type, changes }: Message & { kind: 'ordered' }): void {
    const { tab } = this;
    // An order that began with this tab began with what was stored, not with what the leader before had ordered.
    const continues = (name: string, revision: number): boolean => {
      const one = tab.shared.get(name);
      return one !== undefined && one.firstTerm <= term && one.revision === revision - 1;
    };
    const isNext = term === tab.followedTerm && changes.every(([name, revision]) => continues(name, revision));
    const isKnown = of && of.id <= (tab.done.get(of.tab) ?? 0);
    const next = isNext && !isKnown ? tab.applied(changes) : undefined;
    if (next) this.accept(of, type, changes, next);
  }
}
