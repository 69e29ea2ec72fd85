// What only the leader can do: a follower asks it to flush, to forget, to read the storage again.
import { noAnswer } from '../errors.js';
import type { StorageRequest, Message } from './messages.js';
import type { Tab } from './tab.js';

/** Milliseconds for which a follower waits for the leader. */
const TIME_LIMIT = 10_000;

export class Requests {
  private readonly asked = new Map<
    number,
    { readonly what: StorageRequest; readonly stores: readonly string[]; readonly answer: (ok: boolean) => void }
  >();
  private last = 0;
  private waiting: (() => void)[] = [];

  constructor(private readonly tab: Tab) {}

  private get isSettled(): boolean {
    const { closed, role, pendings } = this.tab;
    return closed || (role !== 'asking' && pendings.list.length === 0);
  }

  /** Fulfilled when a leader is known, and everything that this tab did before is in order. */
  async settled(): Promise<void> {
    while (!this.isSettled) await new Promise<void>((resolve) => this.waiting.push(resolve));
  }

  /** Requests that waited for their turn go on. */
  settle(): void {
    if (!this.isSettled) return;
    for (const done of this.waiting.splice(0)) done();
  }

  /** Asks the leader; the next one, where it leaves before it answers. It waits for a leader that hangs no longer than TIME_LIMIT. */
  async ask(what: StorageRequest, stores: readonly string[]): Promise<boolean> {
    const { tab } = this;
    const id = ++this.last;
    const done = this.askWith(id, what, stores);
    return new Promise<boolean>((resolve) => {
      const stop = tab.host.after(TIME_LIMIT, () => {
        this.asked.delete(id);
        resolve(false);
        if (!tab.closed) tab.engine.report(noAnswer(what));
      });
      void done.then((ok) => {
        stop();
        resolve(ok);
      });
    });
  }

  private async askWith(id: number, what: StorageRequest, stores: readonly string[]): Promise<boolean> {
    const { tab } = this;
    for (;;) {
      await this.settled();
      if (tab.closed) return false;
      if (tab.role !== 'leading') break;
      const ok = await tab.engine.request(what, stores);
      // It may have given way meanwhile.
      if (tab.role === 'leading' || tab.closed) return ok;
    }
    return new Promise<boolean>((answer) => {
      this.asked.set(id, { what, stores, answer });
      tab.send({ kind: 'asked', from: tab.id, id, what, stores });
    });
  }

  /** Another tab leads now: it is asked what the one before did not answer. */
  repeat(): void {
    const { id: from } = this.tab;
    for (const [id, { what, stores }] of this.asked) this.tab.send({ kind: 'asked', from, id, what, stores });
  }

  /** This tab leads now: it answers itself. */
  takeOver(): void {
    for (const [id, { what, stores }] of this.asked)
      void this.tab.engine.request(what, stores).then((ok) => {
        if (this.tab.role === 'leading') this.answered(id, ok);
      });
  }

  async serve({ from, id, what, stores }: Message & { kind: 'asked' }): Promise<void> {
    const { tab } = this;
    const ok = await tab.engine.request(what, stores);
    // One that has given way meanwhile leaves the answer to the leader that is asked next.
    if (!tab.closed && tab.role === 'leading') tab.send({ kind: 'answered', from: tab.id, to: from, id, ok });
  }

  answered(id: number, ok: boolean): void {
    this.asked.get(id)?.answer(ok);
    this.asked.delete(id);
  }

  leave(): void {
    for (const { answer } of this.asked.values()) answer(false);
    this.settle();
  }
}
