// A tab whose turn it is to lead first asks the others what the leader before has ordered: what only one of them has heard
// may not be stored yet, and what this tab did comes after it.
import { isThenable } from '../../core/changing.js';
import type { Message, Standing } from './messages.js';
import type { Tab } from './tab.js';

/** Milliseconds for which it waits for tabs that do not answer. */
const PATIENCE = 300;

/** What the others know better, by store. */
export type Known = Map<string, Standing>;

export class Succession {
  private known: Known = new Map();
  private heard = new Set<string>();
  private silent = 0;
  private end: (() => void) | undefined;

  constructor(
    private readonly tab: Tab,
    /** Where a store of this tab stands in the order. */
    private readonly standingOf: (store: string) => Standing,
  ) {}

  /** Calls `then` as soon as all others have said what they know. */
  ask(then: (known: Known) => void): void {
    const others = this.tab.link.others?.() ?? 0;
    if (isThenable(others)) void others.then((count) => this.askAll(count, then));
    else this.askAll(others, then);
  }

  private askAll(others: number, then: (known: Known) => void): void {
    const { tab } = this;
    if (tab.closed) return;
    this.known = new Map();
    this.heard = new Set();
    this.silent = others;
    const stop = tab.host.after(PATIENCE, () => this.end?.());
    this.end = () => {
      this.end = undefined;
      stop();
      then(this.known);
    };
    if (others === 0) return this.end();
    const stores = Array.from(tab.shared, ([name, { firstTerm, revision }]) =>
      revision === undefined ? ([name, 0, 0] as const) : ([name, firstTerm, revision] as const),
    );
    return tab.send({ kind: 'takes', from: tab.id, stores });
  }

  /** Another tab is about to lead: this one says what it knows better. */
  answer({ from, stores }: Message & { kind: 'takes' }): void {
    const { tab } = this;
    const theirs = new Map(stores.map(([name, line, number]) => [name, { line, number }]));
    const better: Standing[] = [];
    for (const [name, { revision, firstTerm }] of tab.shared) {
      if (revision === undefined) continue;
      const { line, number } = theirs.get(name) ?? { line: 0, number: 0 };
      if (firstTerm > line || (firstTerm === line && revision > number)) better.push(this.standingOf(name));
    }
    tab.send({ kind: 'knows', from: tab.id, to: from, done: [...tab.done], stores: better });
  }

  hear({ from, done, stores }: Message & { kind: 'knows' }): void {
    const { tab } = this;
    if (!this.end || this.heard.has(from)) return;
    this.heard.add(from);
    for (const [id, proposal] of done) tab.done.set(id, Math.max(proposal, tab.done.get(id) ?? 0));
    for (const standing of stores) {
      const [name, , line, number] = standing;
      const best = this.known.get(name);
      if (!best || line > best[2] || (line === best[2] && number > best[3])) this.known.set(name, standing);
    }
    if (--this.silent <= 0) this.end();
  }
}
