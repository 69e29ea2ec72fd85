// Keeps the tabs of one browser in step: sees what this tab does, hears what the others say, and hands both to the role
// that this tab has (`leader.ts`, `follower.ts`). `requests.ts` asks the leader, `link.ts` and `election.ts` choose it.
import {
  confirmedStates,
  type Extensible,
  FloeError,
  sameData,
  type StoreDefinition,
  type Transition,
} from '../../core/internal.js';
import type { AnyAction } from '../../core/index.js';
import type { KeptPart } from '../kept-part.js';
import { Follower } from './follower.js';
import { HostedOrder } from './hosted-order.js';
import { Leader } from './leader.js';
import type { TabLink } from './tab-link.js';
import type { StorageRequest, Message } from './messages.js';
import { Requests } from './requests.js';
import { Tab, type TabRole, type TabsHost } from './tab.js';

export class Tabs {
  private readonly tab: Tab;
  private readonly leader: Leader;
  private readonly follower: Follower;
  private readonly requests: Requests;
  /** Stores that only other tabs have. */
  readonly hosted: HostedOrder;
  private planned = false;
  /** The others were asked which tab leads. */
  private asked = false;

  constructor(host: Extensible, link: TabLink, engine: TabsHost) {
    this.tab = new Tab(host, link, engine);
    this.leader = new Leader(this.tab, () => this.plan());
    this.follower = new Follower(this.tab, () => this.plan());
    this.requests = new Requests(this.tab);
    this.hosted = new HostedOrder(this.tab, this.leader, () => this.plan());
    link.listen((message) => this.hear(message as Message));
    link.lead(
      () => {
        if (this.role === 'leading') return this.leader.stay();
        this.leader.take(() => {
          this.requests.takeOver();
          this.requests.settle();
        });
      },
      () => {
        if (this.tab.closed) return;
        this.leader.giveUp();
        this.asked = false;
        this.plan();
      },
    );
    this.plan();
  }

  get role(): TabRole {
    return this.tab.role;
  }

  /** A store has joined, here or only in other tabs; the storage is still to be read. */
  add(store: StoreDefinition, kept: KeptPart, state: unknown, hosted = false): void {
    this.tab.shared.set(store.name, {
      ...{ store, kept, hosted },
      began: undefined,
      firstTerm: 0,
      revision: undefined,
      ordered: undefined,
      seen: state,
      alone: undefined,
      reading: true,
      askedLeading: this.role === 'leading',
      isOrderKnown: false,
      answeredBy: undefined,
      known: undefined,
      reported: false,
    });
  }

  /** The storage was read; the application may have changed the state meanwhile. */
  read(name: string, stored: unknown, state: unknown): void {
    const one = this.tab.shared.get(name)!;
    const since = one.kept.of(stored);
    Object.assign(one, { began: since, ordered: since, alone: { since }, seen: state });
    if (this.role === 'leading' && !one.askedLeading) return this.leader.readAgain(one);
    one.reading = false;
    this.tab.unheard.add(name);
    this.plan();
  }

  /** Whether this tab may write a store: it leads and has its order, or the store is out of every order. */
  mayWrite(store: string): boolean {
    const one = this.tab.shared.get(store);
    if (this.role === 'leading') return one?.reading !== true;
    return this.role !== 'asking' && (!one || (one.revision === undefined && one.isOrderKnown));
  }

  /** Whether another tab writes a store, and has ordered everything that this one did to it. */
  isElsewhere(store: string): boolean {
    const { role, shared, pendings } = this.tab;
    const isOrdered = role === 'following' && shared.get(store)?.revision !== undefined;
    return isOrdered && !pendings.list.some(({ result }) => result.has(store));
  }

  // ---- what this tab does ----

  /**
   * Looks at what a transition did.
   * @param all it may have changed any store, not only those that it names
   * @param leap it was done on a past state, not on the live one
   */
  look(
    { action, about, fact, group, changed, outcome, joinedBefore, optimistic }: Partial<Transition>,
    all: boolean,
    leap = false,
  ): void {
    const { tab } = this;
    // It is in no confirmed state yet: what a transaction did besides comes with its other actions.
    if (optimistic && !leap) return;
    const states = all ? confirmedStates(tab.host) : undefined;
    const before = new Map<string, unknown>();
    const after = new Map<string, unknown>();
    const see = (name: string, state: unknown): void => {
      const one = tab.shared.get(name);
      if (!one || one.hosted) return;
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
    if (states) for (const name of tab.shared.keys()) see(name, states[name]);
    else for (const change of changed!) see(change.store.name, change.after);
    // One that was stopped or failed is nothing to do once more.
    const isDone = !optimistic && (outcome === 'applied' || outcome === 'unchanged');
    const did: AnyAction | undefined = isDone
      ? (action ?? (fact === 'confirmed' ? about?.action : undefined))
      : undefined;
    const type = (action ?? about?.action)?.type ?? fact ?? 'travelled';
    const isLeading = tab.role === 'leading';
    if (isLeading) this.leader.order(type, after);
    for (const name of after.keys()) {
      const { revision, isOrderKnown } = tab.shared.get(name)!;
      // In order already, or out of every order; what comes before the order begins is pending.
      if (isLeading ? revision === undefined : revision !== undefined || !isOrderKnown) continue;
      before.delete(name);
      after.delete(name);
    }
    // Of a transaction all is seen with its first transition.
    const continues = all && did && group !== undefined && tab.pendings.list.at(-1)?.group === group;
    if (after.size === 0 && !continues) return;
    // Where actions are pending, or confirmed, others may have changed the confirmed states, too.
    // What is confirmed was applied before.
    const stores = joinedBefore ?? (action ? undefined : about?.joinedBefore);
    const deed = { action: did, before, after, ...(stores !== undefined && { stores }) };
    tab.pendings.add(type, group, deed, !leap && !all);
    this.plan();
  }

  /** Several transitions in a row are proposed together. */
  private plan(): void {
    if (this.planned) return;
    this.planned = true;
    void Promise.resolve().then(() => {
      this.planned = false;
      if (this.tab.closed) return;
      this.ask();
      this.follower.propose();
      // A leader may have taken in a store that it had still to read.
      this.requests.settle();
    });
  }

  private ask(): void {
    const { tab } = this;
    // Also a tab that keeps no store yet hears of the leader.
    if (tab.unheard.size === 0 && (this.asked || tab.role !== 'asking')) return;
    this.asked = true;
    const stores = [...tab.unheard];
    tab.unheard.clear();
    if (tab.role === 'leading') this.leader.enter(stores);
    else tab.send({ kind: 'hello', from: tab.id, stores });
  }

  // ---- what the others say ----

  private hear(message: Message): void {
    const { tab } = this;
    if (tab.closed || typeof message !== 'object' || message === null) return;
    if (message.kind === 'leads' || message.kind === 'ordered') tab.latestTerm = Math.max(tab.latestTerm, message.term);
    if (message.kind === 'takes') this.leader.succession.answer(message);
    else if (message.kind === 'knows') {
      if (message.to === tab.id) this.leader.succession.hear(message);
    } else if (tab.role === 'leading') this.hearLeading(message);
    else this.hearFollowing(message);
    if (message.kind === 'answered' && message.to === tab.id) this.requests.answered(message.id, message.ok);
    if (message.kind === 'stored') tab.engine.stored();
    this.requests.settle();
  }

  private hearLeading(message: Message): void {
    if (message.kind === 'hello') this.leader.announce(message.stores, message.from);
    else if (message.kind === 'brings') {
      if (message.to === this.tab.id) this.leader.hear(message.from, message.store);
    } else if (message.kind === 'ordered') this.leader.hearOrdered(message);
    // It led beside this one, and may be gone.
    else if (message.kind === 'stored') void this.tab.engine.request('rehydrate', [...this.tab.shared.keys()]);
    else if (message.kind === 'asked') void this.requests.serve(message);
    else if (message.kind === 'proposed' && message.term === this.tab.term)
      for (const proposal of message.proposals) this.leader.judge(message.from, proposal);
  }

  private hearFollowing(message: Message): void {
    const { tab } = this;
    if (message.kind === 'leads' && message.term >= tab.term && (message.to ?? tab.id) === tab.id) {
      if (this.follower.follow(message)) this.requests.repeat();
    } else if (message.kind === 'ordered' && message.from === tab.leader) this.follower.hearOrdered(message);
    else if (message.kind === 'refused' && message.to === tab.id && message.from === tab.leader)
      this.follower.hearRefused(message);
    // Two tabs that lead for a moment would report the same problem to each other for ever: a leader hears none.
    else if (message.kind === 'problem') tab.engine.report(new FloeError(message.code, message.message));
  }

  // ---- the leader ----

  /** Has the leader do something. */
  request(what: StorageRequest, stores: readonly string[]): Promise<boolean> {
    return this.requests.ask(what, stores);
  }

  /** The leader tells the others of a problem, or that it has stored something. */
  tell(problem?: FloeError): void {
    const { tab } = this;
    if (tab.role !== 'leading' || tab.closed) return;
    if (problem) tab.send({ kind: 'problem', from: tab.id, code: problem.code, message: problem.message });
    else tab.send({ kind: 'stored', from: tab.id });
  }

  /** Whether something that this tab did can neither be stored nor proposed yet. */
  get isOpen(): boolean {
    const { role, pendings } = this.tab;
    return pendings.list.length > 0 && (role === 'asking' || this.follower.isWaiting);
  }

  /** Fulfilled when everything that this tab did is in order. */
  settled(): Promise<void> {
    return this.requests.settled();
  }

  /** Proposes what this tab did last; from now on it neither proposes nor orders. */
  leave(): void {
    this.follower.propose();
    this.tab.closed = true;
    this.requests.leave();
  }

  /** Another tab may lead. */
  close(): void {
    this.tab.link.close();
  }
}
