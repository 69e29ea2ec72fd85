// A follower shows what it does at once, proposes it to the leader, and rebases it on whatever the leader ordered first:
// any interleaving ends in one state.
import { decode, difference, encode, sameData } from '../../core/internal.js';
import { overtaken, tabsDiffer, twoOrders } from '../errors.js';
import { mergeSessions } from '../session-merge.js';
import { versionOf } from '../upgrade.js';
import type { Message, Proposal } from './messages.js';
import type { DeedParts, UnorderedDeeds } from './pending.js';
import type { SharedStore, Tab, TabRole } from './tab.js';

export class Follower {
  /** @param ask asks the leader, a moment later, for the stores that are not heard of */
  constructor(
    private readonly tab: Tab,
    private readonly ask: () => void,
  ) {}

  /**
   * Takes over where the stores of a leader stand.
   * @returns whether it is another leader than before, or leads again
   */
  follow({ from, to, reading, wanted, term, done, stores }: Message & { kind: 'leads' }): boolean {
    const { tab } = this;
    const { pendings } = tab;
    const before = tab.role;
    // Also the same one, when it leads again: what it was asked, or what was proposed to it, between the two is lost.
    const isNew = tab.leader !== from || tab.term !== term;
    tab.leader = from;
    tab.term = tab.followedTerm = term;
    tab.role = 'following';
    tab.done.clear();
    for (const [id, proposal] of done) tab.done.set(id, proposal);
    const own = tab.done.get(tab.id) ?? 0;
    pendings.list = pendings.list.filter(({ id }) => id > own);
    const had = new Set([...stores.map(([name]) => name), ...reading]);
    const known = { before: new Map<string, unknown>(), after: new Map<string, unknown>() };
    for (const [name, version, firstTerm, revision, encoded] of stores) {
      const one = tab.shared.get(name);
      if (!one || one.reading) continue;
      if (to !== undefined) one.answeredBy = from;
      if (!this.isNews(one, from)) continue;
      if (versionOf(one.store) !== version) {
        this.separate(name, one, version);
        continue;
      }
      const part = decode(encoded);
      const [was, is] = this.knownBetter(one, { firstTerm, revision, part }, before);
      if (!sameData(was, is)) {
        known.before.set(name, one.kept.exactly(one.seen, was));
        known.after.set(name, one.kept.exactly(one.seen, is));
      }
      Object.assign(one, { firstTerm, revision, ordered: part, alone: undefined, isOrderKnown: true });
    }
    // A new leader says what it has, or answers what it was asked for: it is asked for the others.
    if (isNew)
      for (const [name, one] of tab.shared)
        if (!(had.has(name) && this.isNews(one, from)) && this.await(name)) tab.unheard.add(name);
    for (const name of reading) {
      if (this.await(name) && to !== undefined) tab.shared.get(name)!.answeredBy = from;
    }
    for (const name of wanted) this.bring(name);
    if (tab.unheard.size > 0) this.ask();
    if (known.after.size > 0) pendings.putFirst('earlier', known);
    if (isNew) for (const pending of pendings.list) pending.sent = false;
    if (before !== 'following') tab.engine.becomes('following');
    this.catchUp('earlier');
    return isNew;
  }

  /**
   * Whether this tab has not read something newer: a leader may have said it, and left, before this tab read the storage. Who
   * answers this tab has said it afterwards.
   */
  private isNews({ revision, answeredBy }: SharedStore, leader: string): boolean {
    return revision !== undefined || answeredBy === leader;
  }

  /** What this tab knows and the new leader does not: a kept part, and what became of it. */
  private knownBetter(
    one: SharedStore,
    { firstTerm, revision, part }: { readonly firstTerm: number; readonly revision: number; readonly part: unknown },
    role: TabRole,
  ): [unknown, unknown] {
    const { began, ordered, alone } = one;
    if (one.revision === undefined) {
      // No leader ordered this store, and this tab went its own way.
      if (role !== 'following') return [part, part];
      return one.isOrderKnown ? [alone!.since, one.kept.of(one.seen)] : [part, part];
    }
    // It led until it heard of another leader.
    if (alone) return [alone.since, ordered];
    // It heard more of the leader before; or the new leader never heard that one, and knows at most what was stored.
    if (firstTerm === one.firstTerm) return one.revision > revision ? [part, ordered] : [part, part];
    const { result, lost } = mergeSessions(began, part, ordered);
    if (lost.length > 0) this.tab.engine.report(twoOrders(one.store.name, lost));
    return [part, result];
  }

  /**
   * Until the leader says where a store stands, this tab proposes and writes nothing of it.
   * @returns whether this tab has the store
   */
  private await(name: string): boolean {
    const one = this.tab.shared.get(name);
    if (!one || one.reading) return false;
    // It went its own way, because of another version, and has something to say of that.
    if (one.revision !== undefined || !one.isOrderKnown) one.isOrderKnown = false;
    return true;
  }

  /** Says where a store stands that the leader does not have; the leader keeps it from now on. */
  private bring(name: string): void {
    const { tab } = this;
    if (!this.await(name)) return;
    tab.send({ kind: 'brings', from: tab.id, to: tab.leader!, store: tab.standingOf(name) });
  }

  private separate(name: string, one: SharedStore, version: number): void {
    // What was in order is stored by the leader; unless this tab led until now.
    if (one.revision !== undefined && !one.alone && sameData(one.kept.of(one.seen), one.ordered))
      this.tab.engine.leaveToOther(name);
    one.revision = undefined;
    one.isOrderKnown = true;
    one.alone ??= { since: one.ordered };
    if (one.reported) return;
    one.reported = true;
    this.tab.engine.report(tabsDiffer(name, versionOf(one.store), version));
  }

  hearOrdered({ of, type, changes }: Message & { kind: 'ordered' }): void {
    const { tab } = this;
    const news = changes.filter(([name, revision]) => revision > (tab.shared.get(name)?.revision ?? Infinity));
    const isNext = news.every(([name, revision]) => revision === tab.shared.get(name)!.revision! + 1);
    const next = isNext ? tab.applied(news) : undefined;
    if (!next) {
      // This tab missed a revision: it asks where the stores stand.
      for (const [name] of news) tab.unheard.add(name);
      return this.ask();
    }
    if (of) tab.done.set(of.tab, of.id);
    for (const [name, revision] of news) Object.assign(tab.shared.get(name)!, { revision, ordered: next.get(name) });
    if (of?.tab === tab.id) tab.pendings.list = tab.pendings.list.filter(({ id }) => id !== of.id);
    this.catchUp(type);
  }

  hearRefused({ id, attempt, why }: Message & { kind: 'refused' }): void {
    const { pendings, engine } = this.tab;
    const at = pendings.list.findIndex((one) => one.id === id && one.attempt === attempt);
    if (at < 0) return;
    for (const pending of pendings.list.slice(at)) pending.sent = false;
    if (why === undefined) return this.propose();
    const [{ type }] = pendings.list.splice(at, 1);
    engine.report(overtaken(type, why));
    this.catchUp(type);
  }

  /** Rebases what is pending onto what is ordered, and shows the result. */
  private catchUp(type: string): void {
    const parts: DeedParts = new Map();
    for (const [name, { revision, ordered }] of this.tab.shared) if (revision !== undefined) parts.set(name, ordered);
    this.tab.rebase(parts, type);
    this.propose();
  }

  /** Whether something cannot be proposed yet. */
  get isWaiting(): boolean {
    return this.tab.pendings.list.some((pending) => this.waits(pending));
  }

  /** It builds on a store of which the leader did not say yet where it stands. */
  private waits({ result }: UnorderedDeeds): boolean {
    return Array.from(result.keys()).some((name) => !this.tab.shared.get(name)!.isOrderKnown);
  }

  /** Sends what this tab did not propose yet. */
  propose(): void {
    const { tab } = this;
    if (tab.role !== 'following') return;
    const revisions = new Map<string, number>();
    const proposals: Proposal[] = [];
    let previous = tab.done.get(tab.id) ?? 0;
    let waits = false;
    tab.pendings.list = tab.pendings.list.filter((pending) => {
      const { id, type, result, sent } = pending;
      waits ||= this.waits(pending);
      if (waits) return true;
      const changes: (readonly [string, number, unknown])[] = [];
      for (const [name, { before, after }] of result) {
        const { revision } = tab.shared.get(name)!;
        const patch = revision === undefined ? [] : difference(before, after).changes;
        if (patch.length === 0) continue;
        const on = revisions.get(name) ?? revision!;
        changes.push([name, on, encode(patch)]);
        revisions.set(name, on + 1);
      }
      // On top of what was ordered since it changes nothing.
      if (changes.length === 0 && !sent) return false;
      if (!sent) {
        pending.sent = true;
        proposals.push({ id, previous, attempt: ++pending.attempt, type, changes });
      }
      previous = id;
      return true;
    });
    if (proposals.length > 0) tab.send({ kind: 'proposed', from: tab.id, term: tab.term, proposals });
  }
}
