// Keeps the tabs of one browser in step. One of them orders what all of them do, and writes. The others show what they do
// at once, propose it, and do it once more on top of what was ordered before it: any interleaving ends in one state.
// The one that orders runs nobody else's code: what it is given are patches of the kept parts, each with the number of the
// order on which it was computed, and it takes only those that are computed on its last one.
import { isThenable } from '../core/changing.js';
import { difference } from '../core/diff.js';
import { decode, encode } from '../core/encode.js';
import { FloeError, messageOf } from '../core/errors.js';
import { applyPatch, type AnyAction, type Patch } from '../core/index.js';
import { guardData, keeping, sameData } from '../core/plain.js';
import type { StoreDefinition } from '../core/store.js';
import type { Host, StoreChange, Transition } from '../core/transition.js';
import type { MaybeAsync } from './area.js';
import { noAnswer, overtaken, tabsDiffer } from './errors.js';
import { joined } from './joined.js';
import type { Kept } from './kept.js';
import { Pendings, type Parts } from './pending.js';
import type { Errand, Message, Proposal } from './tab-messages.js';
import type { TabLink } from './tab-link.js';
import { versionOf } from './upgrade.js';

/**
 * Of this tab: it knows of no others, it does not know yet who orders, it orders and writes, or another one does.
 */
export type TabRole = 'alone' | 'asking' | 'leading' | 'following';

/** What the tabs need of the one that keeps. */
export interface TabsHost {
  /** This tab has another role now. */
  becomes(role: TabRole): void;
  /** What another tab stored since it was read here, by store. */
  storedSince(): MaybeAsync<Parts>;
  /** What is stored is older than what the tabs share: it is written over. */
  adopt(): void;
  /** Does what another tab asks for. */
  errand(what: Errand, stores: readonly string[]): Promise<boolean>;
  /** Another tab has stored something. */
  stored(): void;
  /** Something went wrong here, or in the tab that writes. */
  report(problem: FloeError): void;
}

/** What is known of a store that may be shared. */
interface Shared {
  readonly store: StoreDefinition;
  readonly kept: Kept;
  /** The kept part as it was read. */
  began: unknown;
  /** Tells its order from that of a tab which began another one, since it had not heard of this one: the term of the first. */
  line: number;
  /** The number of the last change that was ordered; not there as long as nobody orders this store. */
  number: number | undefined;
  /** The kept part after it. */
  ordered: unknown;
  /** The state as it was last seen, without what is uncertain. */
  seen: unknown;
  /** The kept part up to which this tab went along with others, where it did not since. */
  alone: { readonly since: unknown; readonly until?: { readonly part: unknown } } | undefined;
  /** What is stored is still being read. */
  reading: boolean;
  /** Whether the one that orders said whether it orders this one. */
  heard: boolean;
  /** That another tab has another version of it was reported. */
  told: boolean;
}

/** Milliseconds for which the tab that writes is waited for. */
const PATIENCE = 10_000;

export class Tabs {
  role: TabRole = 'asking';
  private readonly id = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`;
  private readonly shared = new Map<string, Shared>();
  private readonly pendings: Pendings;
  private leader: string | undefined;
  /** Counts up with each that leads, by the clock where the one before was not heard. */
  private term = 0;
  /** The last one in which this tab did not lead. */
  private heardTerm = 0;
  /** Up to where the proposals of each tab were ordered. */
  private readonly done = new Map<string, number>();
  private readonly asked = new Map<
    number,
    { what: Errand; stores: readonly string[]; answer: (ok: boolean) => void }
  >();
  private errands = 0;
  private readonly unheard = new Set<string>();
  private planned = false;
  /** It will lead as soon as it knows what is stored. */
  private taking = false;
  private waiting: (() => void)[] = [];
  private closed = false;

  constructor(
    private readonly host: Host,
    private readonly link: TabLink,
    private readonly keeper: TabsHost,
  ) {
    this.pendings = new Pendings(host, (name) => this.shared.get(name)?.kept);
    link.listen((message) => this.hear(message as Message));
    link.lead(
      () => this.take(),
      () => this.giveUp(),
    );
  }

  /** A store has joined; what is stored of it is still to be read. */
  add(store: StoreDefinition, kept: Kept, state: unknown): void {
    this.shared.set(store.name, {
      store,
      kept,
      began: undefined,
      line: 0,
      number: undefined,
      ordered: undefined,
      seen: state,
      alone: undefined,
      reading: true,
      heard: false,
      told: false,
    });
  }

  /** What is stored of a store was read; something may have been done on top of it. */
  read(name: string, stored: unknown, state: unknown): void {
    const one = this.shared.get(name)!;
    const since = one.kept.of(stored);
    Object.assign(one, { began: since, ordered: since, alone: { since }, seen: state, reading: false });
    this.unheard.add(name);
    this.plan();
  }

  /** Whether somebody orders this store, so that only the one who leads may write it. */
  orders(store: string): boolean {
    const { number, heard } = this.shared.get(store) ?? { number: undefined, heard: true };
    return this.role === 'asking' || number !== undefined || !heard;
  }

  // ---- what happens here ----

  /**
   * Looks at what a transition did.
   * @param all it may have changed any store, not only those that it names
   * @param leap it did not go on from what was there, but from the past
   */
  look({ action, about, fact, group, changed }: Partial<Transition>, all: boolean, leap = false): void {
    const states = all ? this.host.states() : undefined;
    const before = new Map<string, unknown>();
    const after = new Map<string, unknown>();
    const see = (name: string, state: unknown): void => {
      const one = this.shared.get(name);
      if (!one) return;
      const was = one.seen;
      one.seen = state;
      if (
        was === state ||
        fact === 'fromTab' ||
        (one.reading && fact === 'rehydrated') ||
        sameData(one.kept.of(was), one.kept.of(state))
      )
        return;
      before.set(name, was);
      after.set(name, state);
    };
    if (states) for (const name of this.shared.keys()) see(name, states[name]);
    else for (const change of changed!) see(change.store.name, change.after);
    const did: AnyAction | undefined = action ?? (fact === 'confirmed' ? about?.action : undefined);
    const type = (action ?? about?.action)?.type ?? fact ?? 'travelled';
    if (this.role === 'leading') return this.order(type, after);
    for (const name of after.keys()) {
      const { number, heard } = this.shared.get(name)!;
      if (number !== undefined || !heard) continue;
      before.delete(name);
      after.delete(name);
    }
    // Of what stands or falls together all is seen with the first.
    const goesOn = all && did && group !== undefined && this.pendings.list.at(-1)?.group === group;
    if (after.size === 0 && !goesOn) return;
    this.pendings.add(type, group, { action: did, before, after }, !leap && !(all && group !== undefined));
    this.plan();
  }

  /** What several transitions in a row do is proposed together. */
  private plan(): void {
    if (this.planned) return;
    this.planned = true;
    void Promise.resolve().then(() => {
      this.planned = false;
      if (this.closed) return;
      this.ask();
      this.propose();
    });
  }

  private ask(): void {
    if (this.unheard.size === 0) return;
    const stores = [...this.unheard];
    this.unheard.clear();
    if (this.role === 'leading') this.lead(stores);
    else this.send({ kind: 'hello', from: this.id, stores });
  }

  private send(message: Message): void {
    this.link.send(message);
  }

  // ---- ordering ----

  /** It is this tab's turn. What the one before did last it has heard; if it has heard nothing, it is stored. */
  private take(): void {
    if (this.closed) return;
    const begin = (since: Parts): void => {
      if (this.closed || !this.taking) return;
      this.taking = false;
      // It may have heard of the one before just now.
      this.begin(this.isInStep ? new Map<string, unknown>() : since, this.isInStep);
    };
    this.taking = true;
    const since = this.isInStep ? new Map<string, unknown>() : this.keeper.storedSince();
    if (isThenable(since)) void since.then(begin);
    else begin(since);
  }

  /** Whether it has heard of somebody who orders. */
  private get isInStep(): boolean {
    return Array.from(this.shared.values()).some(({ number }) => number !== undefined);
  }

  private begin(since: Parts, inStep: boolean): void {
    const parts: Parts = new Map();
    for (const [name, one] of this.shared) {
      one.heard = !one.reading;
      if (one.reading) continue;
      if (since.has(name)) one.ordered = since.get(name);
      parts.set(name, one.ordered);
    }
    this.redo(parts, 'earlier');
    // What waited for somebody to order it is in order now.
    const last = this.pendings.list.at(-1);
    if (last) this.done.set(this.id, last.id);
    this.pendings.list = [];
    this.leader = undefined;
    this.term = Math.max(this.term + 1, this.host.now());
    this.role = 'leading';
    this.unheard.clear();
    this.lead([...this.shared.keys()]);
    if (inStep) this.keeper.adopt();
    this.keeper.becomes('leading');
    for (const [id, { what, stores }] of this.asked)
      void this.keeper.errand(what, stores).then((ok) => this.answer(id, ok));
    this.settle();
  }

  /** Another one leads, and was there before. */
  private giveUp(): void {
    if (this.closed) return;
    this.role = 'asking';
    this.taking = false;
    for (const [name, { reading }] of this.shared) if (!reading) this.unheard.add(name);
    this.keeper.becomes('asking');
    this.plan();
  }

  /** Says where stores stand, from which the others go on. */
  private lead(names: readonly string[], to?: string): void {
    const states = this.host.states();
    const stores = names.flatMap((name) => {
      const one = this.shared.get(name);
      if (!one || one.reading) return [];
      if (one.number === undefined || to === undefined) {
        if (one.number === undefined) Object.assign(one, { line: this.term, number: 0 });
        one.seen = states[name];
        one.ordered = one.kept.of(states[name]);
        one.alone ??= { since: one.ordered };
      }
      return [[name, versionOf(one.store), one.line, one.number!, encode(one.ordered)] as const];
    });
    const { id: from, term } = this;
    const reading = names.filter((name) => this.shared.get(name)?.reading);
    this.send({
      kind: 'leads',
      from,
      ...(to !== undefined && { to }),
      ...(to !== undefined && { asked: names }),
      reading,
      term,
      done: [...this.done],
      stores,
    });
  }

  /** What this tab did is the next in the order. */
  private order(type: string, after: ReadonlyMap<string, unknown>): void {
    const changes: (readonly [string, number, unknown])[] = [];
    for (const [name, state] of after) {
      const one = this.shared.get(name)!;
      const part = one.kept.of(state);
      const patch = difference(one.ordered, part).changes;
      one.ordered = part;
      if (patch.length > 0 && one.number !== undefined) changes.push([name, ++one.number, encode(patch)]);
    }
    if (changes.length > 0) this.send({ kind: 'ordered', from: this.id, term: this.term, type, changes });
  }

  /** What a patch of another tab makes of what is ordered; nothing where it cannot be applied. */
  private applied(changes: Proposal['changes'], why?: (error: unknown) => void): Parts | undefined {
    const next: Parts = new Map();
    try {
      for (const [name, , patch] of changes) {
        const { ordered } = this.shared.get(name)!;
        const part = keeping(ordered, applyPatch(ordered, decode(patch) as Patch));
        guardData(part, { at: '', what: `What another tab made of '${name}'` });
        next.set(name, part);
      }
      return next;
    } catch (error) {
      why?.(error);
      return undefined;
    }
  }

  private judge(from: string, proposal: Proposal): void {
    const { id, attempt, previous, type, changes } = proposal;
    const refuse = (why?: string): void =>
      this.send({ kind: 'refused', from: this.id, to: from, id, attempt, ...(why !== undefined && { why }) });
    const isNext = changes.every(([name, number]) => this.shared.get(name)?.number === number);
    if (!isNext || previous !== (this.done.get(from) ?? 0)) return refuse();
    const next = this.applied(changes, (error) => refuse(messageOf(error)));
    if (next) this.accept({ tab: from, id }, type, changes, next);
  }

  private accept(
    of: { readonly tab: string; readonly id: number } | undefined,
    type: string,
    changes: Proposal['changes'],
    next: Parts,
  ): void {
    if (of) this.done.set(of.tab, of.id);
    const ordered = changes.map(([name, , patch]) => [name, ++this.shared.get(name)!.number!, patch] as const);
    for (const [name, part] of next) this.shared.get(name)!.ordered = part;
    this.send({ kind: 'ordered', from: this.id, term: this.term, ...(of && { of }), type, changes: ordered });
    this.show(next, type);
  }

  // ---- being in step ----

  private hear(message: Message): void {
    if (this.closed || typeof message !== 'object' || message === null) return;
    switch (message.kind) {
      case 'hello':
        if (this.role === 'leading') this.lead(message.stores, message.from);
        break;
      case 'leads':
        if (this.role !== 'leading' && message.term >= this.term && (message.to ?? this.id) === this.id)
          this.follow(message);
        break;
      case 'proposed':
        if (this.role === 'leading' && message.term === this.term)
          for (const proposal of message.proposals) this.judge(message.from, proposal);
        break;
      case 'ordered':
        this.hearOrdered(message);
        break;
      case 'refused':
        if (message.to === this.id && message.from === this.leader) this.hearRefused(message);
        break;
      case 'asked':
        if (this.role === 'leading') void this.serve(message);
        break;
      case 'answered':
        if (message.to === this.id) this.answer(message.id, message.ok);
        break;
      case 'stored':
        this.keeper.stored();
        break;
      case 'problem':
        // Two that lead for a moment would tell each other the same for ever.
        if (this.role !== 'leading') this.keeper.report(new FloeError(message.code, message.message));
    }
    this.settle();
  }

  private follow({ from, asked, reading, term, done, stores }: Message & { kind: 'leads' }): void {
    const { pendings } = this;
    const before = this.role;
    const isNew = this.leader !== from;
    this.leader = from;
    this.term = this.heardTerm = term;
    this.role = 'following';
    this.done.clear();
    for (const [tab, id] of done) this.done.set(tab, id);
    const own = this.done.get(this.id) ?? 0;
    pendings.list = pendings.list.filter(({ id }) => id > own);
    const known = { before: new Map<string, unknown>(), after: new Map<string, unknown>() };
    for (const [name, version, line, number, encoded] of stores) {
      const one = this.shared.get(name);
      if (!one || one.reading) continue;
      if (versionOf(one.store) !== version) {
        this.tellApart(name, one, version);
        continue;
      }
      const part = decode(encoded);
      const [was, is] = this.knownBetter(one, line, number, part, before);
      if (!sameData(was, is)) {
        known.before.set(name, one.kept.exactly(one.seen, was));
        known.after.set(name, one.kept.exactly(one.seen, is));
      }
      Object.assign(one, { line, number, ordered: part, alone: undefined, heard: true });
    }
    const had = new Set([...stores.map(([name]) => name), ...reading]);
    if (asked) this.leaveOut(asked.filter((name) => !had.has(name)));
    else if (isNew) this.leaveOut([...this.shared.keys()].filter((name) => !had.has(name)));
    // A response says nothing of the stores that this tab did not ask for: a new leader is asked for them.
    if (isNew && asked)
      for (const [name, one] of this.shared)
        if (!asked.includes(name) && !one.reading && !had.has(name)) this.unheard.add(name);
    for (const name of reading) this.await(name);
    if (this.unheard.size > 0) this.plan();
    if (known.after.size > 0) pendings.putFirst('earlier', known);
    if (isNew) for (const pending of pendings.list) pending.sent = false;
    if (before !== 'following') this.keeper.becomes('following');
    this.catchUp('earlier');
    for (const [id, { what, stores: names }] of isNew ? this.asked : [])
      this.send({ kind: 'asked', from: this.id, id, what, stores: names });
  }

  /** What this tab knows and the one that leads now does not: a kept part, and what became of it. */
  private knownBetter(one: Shared, line: number, number: number, part: unknown, role: TabRole): [unknown, unknown] {
    const { began, ordered, alone } = one;
    if (one.number === undefined) {
      // Nobody ordered this store, and it went its own way.
      if (role !== 'following') return [part, part];
      if (one.heard) return [alone!.since, one.kept.of(one.seen)];
      // What was done since the leader began to read it is pending.
      return alone?.until ? [alone.since, alone.until.part] : [part, part];
    }
    // It led until it heard of another one that did.
    if (alone) return [alone.since, ordered];
    // It heard more of the one that led before; or that one was never heard by the one that leads now, which knows at most
    // what was stored.
    if (line === one.line) return one.number > number ? [part, ordered] : [part, part];
    return [part, joined(began, part, ordered).result];
  }

  /** The leader has this store, and reads it: until its standing comes, this tab proposes and writes nothing of it. */
  private await(name: string): void {
    const one = this.shared.get(name);
    if (!one || one.reading || one.number !== undefined) return;
    if (one.heard) one.alone = { since: one.alone?.since ?? one.ordered, until: { part: one.kept.of(one.seen) } };
    one.heard = false;
  }

  /** Stores that the leader does not have go their own way. */
  private leaveOut(names: readonly string[]): void {
    for (const name of names) {
      const one = this.shared.get(name);
      if (!one || this.unheard.has(name) || one.reading) continue;
      one.heard = true;
      if (one.number === undefined) continue;
      one.number = undefined;
      one.alone = { since: one.ordered };
    }
  }

  private tellApart(name: string, one: Shared, version: number): void {
    one.number = undefined;
    one.heard = true;
    one.alone ??= { since: one.ordered };
    if (one.told) return;
    one.told = true;
    this.keeper.report(tabsDiffer(name, versionOf(one.store), version));
  }

  private hearOrdered({ from, term, of, type, changes }: Message & { kind: 'ordered' }): void {
    if (this.role === 'leading') {
      // The one that led before ordered it with its last breath: it is ordered once more, if nothing came between.
      const isNext =
        term === this.heardTerm && changes.every(([name, number]) => this.shared.get(name)?.number === number - 1);
      const isKnown = of && of.id <= (this.done.get(of.tab) ?? 0);
      const next = isNext && !isKnown ? this.applied(changes) : undefined;
      if (next) this.accept(of, type, changes, next);
      return;
    }
    if (from !== this.leader) return;
    const news = changes.filter(([name, number]) => number > (this.shared.get(name)?.number ?? Infinity));
    const isNext = news.every(([name, number]) => number === this.shared.get(name)!.number! + 1);
    const next = isNext ? this.applied(news) : undefined;
    if (!next) {
      // Something was missed: it asks where they stand.
      for (const [name] of news) this.unheard.add(name);
      return this.plan();
    }
    if (of) this.done.set(of.tab, of.id);
    for (const [name, number] of news) Object.assign(this.shared.get(name)!, { number, ordered: next.get(name) });
    if (of?.tab === this.id) this.pendings.list = this.pendings.list.filter(({ id }) => id !== of.id);
    this.catchUp(type);
  }

  private hearRefused({ id, attempt, why }: Message & { kind: 'refused' }): void {
    const { pendings } = this;
    const at = pendings.list.findIndex((one) => one.id === id && one.attempt === attempt);
    if (at < 0) return;
    for (const pending of pendings.list.slice(at)) pending.sent = false;
    if (why === undefined) return this.propose();
    const [{ type }] = pendings.list.splice(at, 1);
    this.keeper.report(overtaken(type, why));
    this.catchUp(type);
  }

  /** Does what is pending once more on top of what is ordered, and shows what that comes to. */
  private catchUp(type: string): void {
    const parts: Parts = new Map();
    for (const [name, { number, ordered }] of this.shared) if (number !== undefined) parts.set(name, ordered);
    this.redo(parts, type);
    this.propose();
  }

  private redo(parts: Parts, type: string): void {
    const dropped = this.pendings.redo(parts);
    for (const { pending, error } of dropped) this.keeper.report(overtaken(pending.type, messageOf(error)));
    this.show(parts, type);
  }

  private show(parts: Parts, type: string): void {
    const states = this.host.states();
    const changes: StoreChange[] = [];
    for (const [name, part] of parts) {
      const one = this.shared.get(name)!;
      const before = states[name];
      const now = one.kept.of(before);
      const after = keeping(now, part);
      // What is shown and what is ordered share their parts, so that comparing them is quick.
      if (one.ordered === part) one.ordered = after;
      if (after === now || sameData(now, after)) continue;
      changes.push({ store: one.store, before, after: one.kept.exactly(before, after) });
    }
    if (changes.length > 0) this.host.state(changes, 'fromTab', { cause: { by: 'tab', action: type } });
  }

  /** Sends what was not proposed yet. */
  private propose(): void {
    if (this.role !== 'following') return;
    const numbers = new Map<string, number>();
    const proposals: Proposal[] = [];
    let previous = this.done.get(this.id) ?? 0;
    let waits = false;
    this.pendings.list = this.pendings.list.filter((pending) => {
      const { id, type, result, sent } = pending;
      // It builds on a store of which it is not known yet who orders it.
      waits ||= Array.from(result.keys()).some((name) => !this.shared.get(name)!.heard);
      if (waits) return true;
      const changes: (readonly [string, number, unknown])[] = [];
      for (const [name, { before, after }] of result) {
        const { number } = this.shared.get(name)!;
        const patch = number === undefined ? [] : difference(before, after).changes;
        if (patch.length === 0) continue;
        const on = numbers.get(name) ?? number!;
        changes.push([name, on, encode(patch)]);
        numbers.set(name, on + 1);
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
    if (proposals.length > 0) this.send({ kind: 'proposed', from: this.id, term: this.term, proposals });
  }

  // ---- errands ----

  /** Fulfilled when it is known who orders, and everything that was done here before is in order. */
  private async settled(): Promise<void> {
    while (!this.closed && (this.role === 'asking' || this.pendings.list.length > 0))
      await new Promise<void>((resolve) => this.waiting.push(resolve));
  }

  private settle(): void {
    if (!this.closed && (this.role === 'asking' || this.pendings.list.length > 0)) return;
    for (const done of this.waiting.splice(0)) done();
  }

  /** Asks the one that writes; the next one, where it leaves before it answers. One that hangs is not waited for forever. */
  async errand(what: Errand, stores: readonly string[]): Promise<boolean> {
    const id = ++this.errands;
    const done = this.errandWith(id, what, stores);
    return new Promise<boolean>((resolve) => {
      const stop = this.host.after(PATIENCE, () => {
        this.asked.delete(id);
        resolve(false);
        if (!this.closed) this.keeper.report(noAnswer(what));
      });
      void done.then((ok) => {
        stop();
        resolve(ok);
      });
    });
  }

  private async errandWith(id: number, what: Errand, stores: readonly string[]): Promise<boolean> {
    await this.settled();
    if (this.closed) return false;
    if (this.role === 'leading') return this.keeper.errand(what, stores);
    return new Promise<boolean>((answer) => {
      this.asked.set(id, { what, stores, answer });
      this.send({ kind: 'asked', from: this.id, id, what, stores });
    });
  }

  private async serve({ from, id, what, stores }: Message & { kind: 'asked' }): Promise<void> {
    const ok = await this.keeper.errand(what, stores);
    if (!this.closed) this.send({ kind: 'answered', from: this.id, to: from, id, ok });
  }

  private answer(id: number, ok: boolean): void {
    this.asked.get(id)?.answer(ok);
    this.asked.delete(id);
  }

  /** The others are told what the one that writes has to say. */
  tell(problem?: FloeError): void {
    if (this.role !== 'leading' || this.closed) return;
    if (problem) this.send({ kind: 'problem', from: this.id, code: problem.code, message: problem.message });
    else this.send({ kind: 'stored', from: this.id });
  }

  /** Nothing is proposed or ordered any more; what was done last still is. */
  leave(): void {
    if (this.role === 'following') this.propose();
    this.closed = true;
    for (const { answer } of this.asked.values()) answer(false);
    this.settle();
  }

  /** Another tab may lead. */
  close(): void {
    this.link.close();
  }
}
