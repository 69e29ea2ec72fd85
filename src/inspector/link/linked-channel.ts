// The channel of an application to `floe inspect`: what the inspector asks comes as lines of a response that stays open, and
// what the application says is posted. A link that breaks is made again.
import { eachLine } from '../in-page/json-lines.js';
import { linkRefused } from '../protocol/errors.js';
import type { Channel, LinkMessage } from '../protocol/protocol.js';

/** Milliseconds before a broken link is made again: at first, and at most. */
const FIRST_WAIT = 500;
const LONGEST_WAIT = 10_000;
/** Milliseconds without a sign of life after which a link counts as broken; the server gives one every 15 s. */
const SILENCE = 45_000;

/** What the server says of the link itself. */
type LinkNews =
  | { readonly method: 'linked'; readonly params: { readonly id: string } }
  | { readonly method: 'followed'; readonly params: { readonly by: number } };

type Timer = ReturnType<typeof setTimeout>;

export class LinkedChannel implements Channel {
  private readonly listeners = new Set<(message: LinkMessage) => void>();
  private readonly headers: Record<string, string>;
  /** The number under which the server knows the application; absent while it cannot be reached. */
  private id: string | undefined;
  /** How many pages look. */
  private followers = 0;
  private outbox: LinkMessage[] = [];
  private isPosting = false;
  private wait = FIRST_WAIT;
  private isAway = false;
  private isClosed = false;
  private open = new AbortController();
  private retry: Timer | undefined;
  private silence: Timer | undefined;

  constructor(
    private readonly address: URL,
    token: string,
    private readonly name: string,
  ) {
    this.headers = { authorization: `Bearer ${token}`, 'content-type': 'application/json' };
    void this.link();
  }

  get isLinked(): boolean {
    return this.id !== undefined;
  }

  send(message: LinkMessage): void {
    // While no page looks, nothing is sent: a page that begins to look asks for all that it shows.
    if (this.id === undefined || (!('id' in message) && this.followers === 0)) return;
    this.outbox.push(message);
    if (!this.isPosting) void this.empty();
  }

  listen(listener: (message: LinkMessage) => void): () => void {
    this.listeners.add(listener);
    return () => void this.listeners.delete(listener);
  }

  close(): void {
    this.isClosed = true;
    clearTimeout(this.retry);
    this.open.abort(new Error('The link was closed.'));
  }

  private post(path: string, body: unknown): Promise<Response> {
    const { headers, open } = this;
    const url = new URL(path, this.address);
    return fetch(url, { method: 'POST', headers, signal: open.signal, body: JSON.stringify(body) });
  }

  private async link(): Promise<void> {
    this.open = new AbortController();
    try {
      const response = await this.post('/applications', { name: this.name });
      if (response.status === 401 || response.status === 403) {
        this.isClosed = true;
        console.error(linkRefused(this.address.origin, response.status));
        return;
      }
      if (!response.ok) throw new Error(`status ${response.status}`);
      const alive = (): void => this.alive();
      alive();
      await eachLine(response, (message) => this.receive(message as LinkMessage | LinkNews), alive);
      throw new Error('the command has ended');
    } catch (error) {
      this.lost(error as Error);
    }
  }

  private receive(message: LinkMessage | LinkNews): void {
    if ('id' in message) {
      for (const listener of this.listeners) listener(message);
      return;
    }
    const news = message as LinkNews;
    if (news.method === 'followed') this.followers = news.params.by;
    if (news.method !== 'linked') return;
    this.id = news.params.id;
    this.wait = FIRST_WAIT;
    if (this.isAway) console.info(`floe/inspector/link: “${this.name}” is linked to ${this.address.origin} again.`);
    this.isAway = false;
  }

  private alive(): void {
    clearTimeout(this.silence);
    const isBroken = new Error(`nothing came for ${SILENCE / 1000} s`);
    this.silence = detached(setTimeout(() => this.open.abort(isBroken), SILENCE));
  }

  private lost({ message }: Error): void {
    clearTimeout(this.silence);
    this.id = undefined;
    this.followers = 0;
    this.outbox = [];
    if (this.isClosed) return;
    if (!this.isAway)
      console.warn(
        `floe/inspector/link: the inspector at ${this.address.origin} cannot be reached (${message}). Start floe inspect there: “${this.name}” tries until it can.`,
      );
    this.isAway = true;
    this.retry = detached(setTimeout(() => void this.link(), this.wait));
    this.wait = Math.min(2 * this.wait, LONGEST_WAIT);
  }

  /** One request at a time, so that messages arrive in order; what is said meanwhile goes with the next one. */
  private async empty(): Promise<void> {
    this.isPosting = true;
    // What is said in one turn goes in one request.
    await Promise.resolve();
    while (this.outbox.length > 0 && this.id !== undefined) {
      const messages = this.outbox;
      this.outbox = [];
      try {
        const response = await this.post(`/applications/${this.id}`, messages);
        if (!response.ok) throw new Error(`status ${response.status}`);
      } catch (error) {
        // The open response ends with it, and the link is made again.
        this.open.abort(error);
        break;
      }
    }
    this.isPosting = false;
  }
}

/** In Node.js, a timer that waits for a lost inspector does not keep the process alive. */
function detached(started: Timer): Timer {
  (started as { unref?(): void }).unref?.();
  return started;
}
