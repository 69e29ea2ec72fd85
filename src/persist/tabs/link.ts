// How the tabs of one browser reach each other, and how one of them is chosen.
import type { FloeError } from '../../core/internal.js';
import { Election } from './election.js';
import type { TabLink } from './tab-link.js';
import { tabsOutOfReach } from '../errors.js';

interface Locks {
  request(name: string, options: object, held: () => Promise<void>): Promise<unknown>;
  query(): Promise<{ readonly pending?: readonly { readonly name?: string }[] }>;
}
interface TabChannel {
  postMessage(message: unknown): void;
  onmessage: ((event: { readonly data: unknown }) => void) | null;
  close(): void;
}
const browser = globalThis as {
  readonly document?: object;
  readonly navigator?: { readonly locks?: Locks };
  readonly BroadcastChannel?: new (name: string) => TabChannel;
};

/** Raised when older tabs would misread what newer ones send: then they do not hear each other. */
const LINK_VERSION = 3;

/**
 * The tabs of this browser that share a name: messages by `BroadcastChannel`; one of them is chosen by the Web Locks API,
 * or by messages where it is missing (pages without HTTPS). Nothing where there are no tabs; where they cannot reach each
 * other that is reported.
 */
export function browserLink(name: string, report: (problem: FloeError) => void): TabLink | undefined {
  const { document, navigator, BroadcastChannel } = browser;
  if (!document) return undefined;
  if (!BroadcastChannel) {
    report(tabsOutOfReach());
    return undefined;
  }
  const full = `floe ${LINK_VERSION} ${name}`;
  try {
    const channel = new BroadcastChannel(full);
    const locks = navigator?.locks;
    return locks ? lockedLink(full, channel, locks) : new Election(electionChannel(channel));
  } catch {
    // Pages that may store nothing may have no channel either.
    report(tabsOutOfReach());
    return undefined;
  }
}

function lockedLink(name: string, channel: TabChannel, locks: Locks): TabLink {
  const waiting = new AbortController();
  let release = (): void => undefined;
  let listener: (message: unknown) => void = () => undefined;
  /** The browser gives no locks, as to pages that may store nothing: the tabs choose by messages. */
  let election: Election | undefined;
  const elect = (leads: () => void, lost: () => void): void => {
    // It was given up.
    if (waiting.signal.aborted) return;
    election = new Election(electionChannel(channel));
    election.listen(listener);
    election.lead(leads, lost);
  };
  return {
    send: (message) => channel.postMessage(message),
    listen: (given) => {
      listener = given;
      channel.onmessage = ({ data }) => listener(data);
    },
    lead: (leads, lost) => {
      const held = async (): Promise<void> => {
        await earlierMessages(name, channel);
        if (waiting.signal.aborted) return;
        leads();
        await new Promise<void>((resolve) => (release = resolve));
      };
      // The request is given up when the tab leaves before its turn.
      locks.request(name, { signal: waiting.signal }, held).catch(() => elect(leads, lost));
    },
    others: async () => {
      if (election) return 0;
      const { pending = [] } = await locks.query();
      return pending.filter((one) => one.name === name).length;
    },
    close: () => {
      waiting.abort();
      if (election) return election.close();
      channel.close();
      release();
    },
  };
}

/** Fulfilled when all earlier messages of other tabs have arrived: a message to oneself comes after them. */
async function earlierMessages(name: string, channel: TabChannel): Promise<void> {
  const listening = new browser.BroadcastChannel!(name);
  const echo = Math.random();
  await new Promise<void>((resolve) => {
    listening.onmessage = ({ data }) => {
      if ((data as { echo?: unknown } | null)?.echo === echo) resolve();
    };
    channel.postMessage({ echo });
  });
  listening.close();
}

const electionChannel = (channel: TabChannel) => ({
  send: (message: unknown) => channel.postMessage(message),
  listen: (listener: (message: unknown) => void) => {
    channel.onmessage = ({ data }) => listener(data);
  },
  close: () => channel.close(),
  after: (ms: number, fn: () => void) => {
    const timer = setTimeout(fn, ms);
    return () => clearTimeout(timer);
  },
  // Of two that lead the older one stays: its time comes first.
  id: `${Date.now().toString(36).padStart(9, '0')}-${Math.random().toString(36).slice(2, 10)}`,
});
