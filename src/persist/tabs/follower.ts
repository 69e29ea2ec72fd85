// A follower shows what it does at once, proposes it to the leader, and rebases it on whatever the leader ordered first:
// any interleaving ends in one state.
import { difference } from '../../core/diff.js';
import { decode, encode } from '../../core/encode.js';
import { sameData } from '../../core/plain.js';
import { overtaken, tabsDiffer } from '../errors.js';
import { joined } from '../joined.js';
import { versionOf } from '../upgrade.js';
import type { Message, Proposal } from './messages.js';
import type { Parts } from './pending.js';
import type { SharedStore, Tab, TabRole } from './tab.js';

export class Follower {
  /** @param ask asks the leader, a moment later, for the stores that are not heard of */
  constructor(
    private readonly tab: Tab,
    private readonly ask: () => void,
  ) {}

  /**
   * Takes over where the stores of a leader stand.
   * @returns whether it is another leader than before
   */
  follow({ from, asked, reading, term, done, stores }: Message & { kind: 'leads' }): boolean {
    const { tab } = this;
    const { pendings } = tab;
    const before = tab.role;
    const isNew = tab.leader !== from;
    tab.leader = from;
    tab.term = tab.heardTerm = term;
    tab.role = 'following';
    tab.done.clear();
    for (const [id, proposal] of done) tab.done.set(id, proposal);
    const own = tab.done.get(tab.id) ?? 0;
    pendings.list = pendings.list.filter(({ id }) => id > own);
    const known = { before: new Map<string, unknown>(), after: new Map<string, unknown>() };
    for (const [name, version, firstTerm, revision, encoded] of stores) {
      const one = tab.shared.get(name);
      if (!one || one.reading) continue;
      if (versionOf(one.store) !== version) {
        this.separate(name, one, version);
        continue;
      }
      const part = decode(encoded);
      const [was, is] = this.knownBetter(one, firstTerm, revision, part, before);
      if (!sameData(was, is)) {
        known.before.set(name, one.kept.exactly(one.seen, was));
        known.after.set(name, one.kept.exactly(one.seen, is));
      }
      Object.assign(one, { firstTerm, revision, ordered: part, alone: undefined, heard: true });
    }
    const had = new Set([...stores.map(([name]) => name), ...reading]);
    if (asked) this.leaveOut(asked.filter((name) => !had.has(name)));
    else if (isNew) this.leaveOut([...tab.shared.keys()].filter((name) => !had.has(name)));
    // A response says nothing of the stores that this tab did not ask for: it asks a new leader for them.
    if (isNew && asked)
      for (const [name, one] of tab.shared)
        if (!asked.includes(name) && !one.reading && !had.has(name)) tab.unheard.add(name);
    for (const name of reading) this.await(name);
    if (tab.unheard.size > 0) this.ask();
    if (known.after.size > 0) pendings.putFirst('earlier', known);
    if (isNew) for (const pending of pendings.list) pending.sent = false;
    if (before !== 'following') tab.keeper.becomes('following');
    this.catchUp('earlier');
    return isNew;
  }

  /** What this tab knows and the new leader does not: a kept part, and what became of it. */
  private knownBetter(
    one: SharedStore,
    firstTerm: number,
    revision: number,
    part: unknown,
    role: TabRole,
  ): [unknown, unknown] {
    const { began, ordered, alone } = one;
    if (one.revision === undefined) {
      // No leader ordered this store, and this tab went its own way.
      if (role !== 'following') return [part, part];
      if (one.heard) return [alone!.since, one.kept.of(one.seen)];
      // What it did since the leader began to read the store is pending.
      return alone?.until ? [alone.since, alone.until.part] : [part, part];
    }
    // It led until it heard of another leader.
    if (alone) return [alone.since, ordered];
    // It heard more of the leader before; or the new leader never heard that one, and knows at most what was stored.
    if (firstTerm === one.firstTerm) return one.revision > revision ? [part, ordered] : [part, part];
    return [part, joined(began, part, ordered).result];
  }

  /** The leader has this store, and reads it: until its standing comes, this tab proposes and writes nothing of it. */
  private await(name: string): void {
    const one = this.tab.shared.get(name);
    if (!one || one.reading || one.revision !== undefined) return;
    if (one.heard) one.alone = { since: one.alone?.since ?? one.ordered, until: { part: one.kept.of(one.seen) } };
    one.heard = false;
  }

  /** Stores that the leader does not have go their own way. */
  private leaveOut(names: readonly string[]): void {
    for (const name of names) {
      const one = this.tab.shared.get(name);
      if (!one || this.tab.unheard.has(name) || one.reading) continue;
      one.heard = true;
      if (one.revision === undefined) continue;
      one.revision = undefined;
      one.alone = { since: one.ordered };
    }
  }

  private separate(name: string, one: SharedStore, version: number): void {
    one.revision = undefined;
    one.heard = true;
    one.alone ??= { since: one.ordered };
    if (one.reported) return;
    one.reported = true;
    this.tab.keeper.report(tabsDiffer(name, versionOf(one.store), version));
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
    const { pendings, keeper } = this.tab;
    const at = pendings.list.findIndex((one) => one.id === id && one.attempt === attempt);
    if (at < 0) return;
    for (const pending of pendings.list.slice(at)) pending.sent = false;
    if (why === undefined) return this.propose();
    const [{ type }] = pendings.list.splice(at, 1);
    keeper.report(overtaken(type, why));
    this.catchUp(type);
  }

  /** Rebases what is pending onto what is ordered, and shows the result. */
  private catchUp(type: string): void {
    const parts: Parts = new Map();
    for (const [name, { revision, ordered }] of this.tab.shared) if (revision !== undefined) parts.set(name, ordered);
    this.tab.rebase(parts, type);
    this.propose();
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
      // It builds on a store of which this tab does not know yet whether the leader orders it.
      waits ||= Array.from(result.keys()).some((name) => !tab.shared.get(name)!.heard);
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
