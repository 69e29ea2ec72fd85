// The tabs of a browser without a browser: messages wait until they are delivered, one by one, in any order that keeps what
// one tab sends to another in order; the lock is given to the next in the queue when the test says so. A real browser also
// keeps the order of what several tabs send, and gives the lock to a tab that has heard what was sent before.
import type { TabLink } from 'floe/persist';
import { Election } from '../../src/persist/tabs/election.js';

/** A clock whose times come when the test says so. */
export function simulatedClock(now: () => number) {
  const timers = new Set<{ readonly ms: number; readonly fn: () => void }>();
  return {
    clock: {
      now,
      after: (ms: number, fn: () => void) => {
        const timer = { ms, fn };
        timers.add(timer);
        return () => timers.delete(timer);
      },
    },
    /** Calls what waits for so many milliseconds at most. Returns whether there was any. */
    runOut: (most = Infinity): boolean => {
      const due = [...timers].filter(({ ms }) => ms <= most);
      for (const timer of due) if (timers.delete(timer)) timer.fn();
      return due.length > 0;
    },
    stop: () => timers.clear(),
  };
}

interface Tab {
  readonly id: number;
  listener: (message: unknown) => void;
  leads: () => void;
  /** What each other tab sent. */
  readonly inbox: Map<number, unknown[]>;
}

export class SimulatedTabs {
  private readonly tabs = new Map<number, Tab>();
  private readonly queue: number[] = [];
  private holder: number | undefined;

  /** @param wild what several tabs send may come in any order, and the lock before it */
  constructor(private readonly wild = true) {}

  link(id: number): TabLink {
    const tab: Tab = { id, listener: () => undefined, leads: () => undefined, inbox: new Map() };
    this.tabs.set(id, tab);
    return {
      send: (message) => {
        if (!this.tabs.has(id)) return;
        for (const other of this.tabs.values()) {
          if (other === tab) continue;
          const from = this.wild ? id : 0;
          if (!other.inbox.has(from)) other.inbox.set(from, []);
          other.inbox.get(from)!.push(structuredClone(message));
        }
      },
      listen: (listener) => {
        tab.listener = listener;
      },
      lead: (leads) => {
        tab.leads = leads;
        this.queue.push(id);
      },
      others: () => (this.holder === id ? this.queue.length : 0),
      close: () => this.crash(id),
    };
  }

  /** A link for pages without locks: the tabs choose by messages. */
  electing(id: number, after: (ms: number, fn: () => void) => () => void): TabLink {
    const { send, listen, close } = this.link(id);
    return new Election({ send, listen, close, after, id: String(id).padStart(4, '0') });
  }

  has(id: number): boolean {
    return this.tabs.has(id);
  }

  /** Gone without a word; what it sent is still on its way. */
  crash(id: number): void {
    this.tabs.delete(id);
    if (this.holder === id) this.holder = undefined;
    if (this.queue.includes(id)) this.queue.splice(this.queue.indexOf(id), 1);
  }

  /** Gives the lock to the next, if it is free. */
  grant(): boolean {
    if (this.holder !== undefined || this.queue.length === 0) return false;
    this.holder = this.queue.shift()!;
    while (!this.wild && this.deliver(this.holder, 0));
    this.tabs.get(this.holder)!.leads();
    return true;
  }

  /** Where tabs choose by messages alone, two may lead for a moment. */
  grantTo(id: number): void {
    this.tabs.get(id)!.leads();
  }

  /** Delivers what one tab sent to another. */
  deliverFrom(from: number, to: number): void {
    const tab = this.tabs.get(to)!;
    for (const message of tab.inbox.get(from)?.splice(0) ?? []) tab.listener(message);
  }

  /** Delivers what is next only about the leader: tabs without locks ask for it again and again. */
  deliverElection(to: number): void {
    for (;;) {
      const [messages] = [...(this.tabs.get(to)?.inbox.values() ?? [])];
      if ((messages?.[0] as { readonly floe?: unknown } | undefined)?.floe !== 'election') return;
      this.tabs.get(to)!.listener(messages.shift());
    }
  }

  /** Delivers one message to a tab: from one of those that have sent something. */
  deliver(to: number, which: number): boolean {
    const tab = this.tabs.get(to);
    const waiting = [...(tab?.inbox.values() ?? [])].filter((messages) => messages.length > 0);
    if (waiting.length === 0) return false;
    tab!.listener(waiting[which % waiting.length].shift());
    return true;
  }
}
