// The sessions that one inspector shows: the file that the command was given, and applications that linked themselves.
import type { Channel, LinkMessage, LinkNotification, LinkRequest, LinkResponse } from '../inspector/ends/index.js';

/** A session, as the page knows it. */
export interface SessionEntry {
  readonly id: string;
  readonly name: string;
}

/** What the page hears: which sessions there are, or what one of them says. */
export type PageNews =
  { readonly sessions: readonly SessionEntry[] } | { readonly session: string; readonly message: LinkMessage };

/** A request of a page, whose number another page may use, too. */
export type PageRequest = LinkRequest;

interface Linked extends SessionEntry {
  send(message: LinkMessage): void;
  /** Tells it how many pages look. */
  followed?(by: number): void;
  readonly waiting: Map<number, (response: LinkResponse) => void>;
}

/** Which sessions there are, and the messages between them and the pages that show them. */
export class LinkedApplications {
  private readonly sessions = new Map<string, Linked>();
  private readonly pages = new Set<(news: PageNews) => void>();
  private lastSession = 0;
  private lastRequest = 0;

  /** Adds what this process itself looks into. */
  own(name: string, channel: Channel): void {
    const session = this.add({ name, send: (message) => channel.send(message) });
    channel.listen((message) => this.said(session.id, message));
  }

  /**
   * Adds an application.
   * @param hear called with requests to it, and with news of its link
   * @returns its number, and what to call when it has gone
   */
  link(name: string, hear: (message: LinkRequest | LinkNotification) => void): { readonly id: string; gone(): void } {
    const tell = (method: string, params: object): void => hear({ jsonrpc: '2.0', method, params });
    const { id } = this.add({
      name: this.freeName(name),
      send: (message) => hear(message as LinkRequest),
      followed: (by) => tell('followed', { by }),
    });
    tell('linked', { id });
    tell('followed', { by: this.pages.size });
    return { id, gone: () => this.remove(id) };
  }

  private add(session: Omit<Linked, 'id' | 'waiting'>): Linked {
    const added = { ...session, id: String(++this.lastSession), waiting: new Map() };
    this.sessions.set(added.id, added);
    this.tellSessions();
    return added;
  }

  private remove(id: string): void {
    const session = this.sessions.get(id);
    if (!session) return;
    this.sessions.delete(id);
    for (const [request, respond] of session.waiting)
      respond({ jsonrpc: '2.0', id: request, error: { code: GONE, message: `“${session.name}” has gone.` } });
    this.tellSessions();
  }

  /** Two windows of one page have one name: the second is told apart by a number. */
  private freeName(name: string): string {
    const taken = new Set(Array.from(this.sessions.values(), (one) => one.name));
    let free = name;
    for (let count = 2; taken.has(free); count++) free = `${name} (${count})`;
    return free;
  }

  has(id: string): boolean {
    return this.sessions.has(id);
  }

  /** A message that a session sent: a response to a page, or news for all of them. */
  said(id: string, message: LinkMessage): void {
    const session = this.sessions.get(id);
    if (!session) return;
    if ('method' in message) {
      for (const page of this.pages) page({ session: id, message });
      return;
    }
    const respond = session.waiting.get(message.id!);
    session.waiting.delete(message.id!);
    respond?.(message);
  }

  /** Hands a request of a page on. Requests of several pages get numbers of their own on the way. */
  ask(id: string, message: PageRequest): Promise<LinkResponse> {
    const { send, waiting } = this.sessions.get(id)!;
    const request = ++this.lastRequest;
    return new Promise((resolve) => {
      waiting.set(request, (response) => resolve({ ...response, id: message.id }));
      send({ ...message, id: request });
    });
  }

  /** A page that shows the sessions. Returns what ends it. */
  follow(page: (news: PageNews) => void): () => void {
    this.pages.add(page);
    page({ sessions: this.entries() });
    this.tellFollowed();
    return () => {
      this.pages.delete(page);
      this.tellFollowed();
    };
  }

  private entries(): SessionEntry[] {
    return Array.from(this.sessions.values(), ({ id, name }) => ({ id, name }));
  }
  private tellSessions(): void {
    const sessions = this.entries();
    for (const page of this.pages) page({ sessions });
  }
  private tellFollowed(): void {
    for (const { followed } of this.sessions.values()) followed?.(this.pages.size);
  }
}

/** JSON-RPC: what the application refused, or can no longer do. */
const GONE = -32000;
