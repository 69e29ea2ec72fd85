// The leader orders what all tabs do, and writes. It runs no other tab's code: proposals are patches of the kept parts,
// each with the revision on which it was computed, and the leader accepts only those that are computed on the last one.
import { isThenable } from '../../core/changing.js';
import { difference } from '../../core/diff.js';
import { encode } from '../../core/encode.js';
import { messageOf } from '../../core/errors.js';
import { versionOf } from '../upgrade.js';
import type { Message, Proposal } from './messages.js';
import type { Parts } from './pending.js';
import type { Tab } from './tab.js';

export class Leader {
  /** It leads as soon as it knows what is stored. */
  private taking = false;

  constructor(private readonly tab: Tab) {}

  /** It is this tab's turn. It has heard what the leader before did last; if it has heard nothing, that is stored. */
  take(began: () => void): void {
    const { tab } = this;
    if (tab.closed) return;
    const begin = (since: Parts): void => {
      if (tab.closed || !this.taking) return;
      this.taking = false;
      // It may have heard of the leader before just now.
      this.begin(tab.isInStep ? new Map<string, unknown>() : since, tab.isInStep);
      began();
    };
    this.taking = true;
    const since = tab.isInStep ? new Map<string, unknown>() : tab.keeper.storedSince();
    if (isThenable(since)) void since.then(begin);
    else begin(since);
  }

  /** Another tab leads, and did so before this one. */
  giveUp(): void {
    const { tab } = this;
    tab.role = 'asking';
    this.taking = false;
    for (const [name, { reading }] of tab.shared) if (!reading) tab.unheard.add(name);
    tab.keeper.becomes('asking');
  }

  private begin(since: Parts, inStep: boolean): void {
    const { tab } = this;
    const parts: Parts = new Map();
    for (const [name, one] of tab.shared) {
      one.heard = !one.reading;
      if (one.reading) continue;
      if (since.has(name)) one.ordered = since.get(name);
      parts.set(name, one.ordered);
    }
    tab.rebase(parts, 'earlier');
    // The leader's own pending actions are in order now.
    const last = tab.pendings.list.at(-1);
    if (last) tab.done.set(tab.id, last.id);
    tab.pendings.list = [];
    tab.leader = undefined;
    tab.term = Math.max(tab.term + 1, tab.host.now());
    tab.role = 'leading';
    tab.unheard.clear();
    this.announce([...tab.shared.keys()]);
    if (inStep) tab.keeper.adopt();
    tab.keeper.becomes('leading');
  }

  /** Says where stores stand, from which the followers go on. */
  announce(names: readonly string[], to?: string): void {
    const { tab } = this;
    const states = tab.host.states();
    const stores = names.flatMap((name) => {
      const one = tab.shared.get(name);
      if (!one || one.reading) return [];
      if (one.revision === undefined || to === undefined) {
        if (one.revision === undefined) Object.assign(one, { firstTerm: tab.term, revision: 0 });
        one.seen = states[name];
        one.ordered = one.kept.of(states[name]);
        one.alone ??= { since: one.ordered };
      }
      return [[name, versionOf(one.store), one.firstTerm, one.revision!, encode(one.ordered)] as const];
    });
    const reading = names.filter((name) => tab.shared.get(name)?.reading);
    tab.send({
      kind: 'leads',
      from: tab.id,
      ...(to !== undefined && { to, asked: names }),
      reading,
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
      const part = one.kept.of(state);
      const patch = difference(one.ordered, part).changes;
      one.ordered = part;
      if (patch.length > 0 && one.revision !== undefined) changes.push([name, ++one.revision, encode(patch)]);
    }
    if (changes.length > 0) tab.send({ kind: 'ordered', from: tab.id, term: tab.term, type, changes });
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
    next: Parts,
  ): void {
    const { tab } = this;
    if (of) tab.done.set(of.tab, of.id);
    const ordered = changes.map(([name, , patch]) => [name, ++tab.shared.get(name)!.revision!, patch] as const);
    for (const [name, part] of next) tab.shared.get(name)!.ordered = part;
    tab.send({ kind: 'ordered', from: tab.id, term: tab.term, ...(of && { of }), type, changes: ordered });
    tab.show(next, type);
  }

  /** The leader before ordered it with its last breath: it is ordered once more, if nothing came between. */
  hearOrdered({ term, of, type, changes }: Message & { kind: 'ordered' }): void {
    const { tab } = this;
    const isNext =
      term === tab.heardTerm && changes.every(([name, revision]) => tab.shared.get(name)?.revision === revision - 1);
    const isKnown = of && of.id <= (tab.done.get(of.tab) ?? 0);
    const next = isNext && !isKnown ? tab.applied(changes) : undefined;
    if (next) this.accept(of, type, changes, next);
  }
}
