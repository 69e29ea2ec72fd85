// A tab whose turn it is to lead first asks the others what the leader before has ordered: what only one of them has heard
// may not be stored yet, and what this tab did comes after it.
import { isThenable } from '../../core/internal.js';
import type { Message, Standing } from './messages.js';
import type { Tab } from './tab.js';

/** Milliseconds after which it looks again how many others there are, and asks them again; and how often it does. */
const PAUSE = 300;
const MOST_ROUNDS = 10;

/** What the others know better, by store. */
export type KnownOrder = Map<string, Standing>;

export class Succession {
  private known: KnownOrder = new Map();
  private then: ((known: KnownOrder) => void) | undefined;
  private round = 0;
  /** Who has answered in this round, and how many are to. */
  private readonly responded = new Set<string>();
  private others = 0;
  private stop = (): void => undefined;

  constructor(private readonly tab: Tab) {}

  /**
   * Calls `then` as soon as all other tabs have said what they know. It waits three seconds for a tab that hangs, or that the
   * browser has frozen.
   */
  ask(then: (known: KnownOrder) => void): void {
    this.known = new Map();
    this.then = then;
    this.round = 0;
    this.count();
  }

  /** Another tab leads. */
  giveUp(): void {
    this.then = undefined;
    this.stop();
  }

  private count(): void {
    const others = this.tab.link.others?.() ?? 0;
    if (isThenable(others)) void others.then((count) => this.askAll(count));
    else this.askAll(others);
  }

  private askAll(others: number): void {
    const { tab } = this;
    if (tab.closed || !this.then) return;
    this.others = others;
    this.responded.clear();
    if (others === 0 || ++this.round > MOST_ROUNDS) return this.end();
    this.stop = tab.host.after(PAUSE, () => this.count());
    const stores = Array.from(tab.shared, ([name, { firstTerm, revision }]) =>
      revision === undefined ? ([name, 0, 0] as const) : ([name, firstTerm, revision] as const),
    );
    tab.send({ kind: 'takes', from: tab.id, round: this.round, stores });
  }

  private end(): void {
    const { then } = this;
    this.giveUp();
    then?.(this.known);
  }

  /** Another tab is about to lead: this one says what it knows better. */
  answer({ from, round, stores }: Message & { kind: 'takes' }): void {
    const { tab } = this;
    const theirs = new Map(stores.map(([name, line, number]) => [name, { line, number }]));
    const better: Standing[] = [];
    for (const [name, { revision, firstTerm }] of tab.shared) {
      if (revision === undefined) continue;
      const { line, number } = theirs.get(name) ?? { line: 0, number: 0 };
      if (firstTerm > line || (firstTerm === line && revision > number)) better.push(tab.standingOf(name));
    }
    tab.send({ kind: 'knows', from: tab.id, to: from, round, done: [...tab.done], stores: better });
  }

  hear({ from, round, done, stores }: Message & { kind: 'knows' }): void {
    const { tab } = this;
    if (!this.then) return;
    for (const [id, proposal] of done) tab.done.set(id, Math.max(proposal, tab.done.get(id) ?? 0));
    for (const standing of stores) {
      const [name, , line, number] = standing;
      const best = this.known.get(name);
      if (!best || line > best[2] || (line === best[2] && number > best[3])) this.known.set(name, standing);
    }
    if (round === this.round) this.responded.add(from);
    if (this.responded.size >= this.others) this.end();
  }
}
