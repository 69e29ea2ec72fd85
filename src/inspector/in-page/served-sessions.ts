// The sessions that the serving command knows: requests by POST, and what it says by itself as JSON Lines on one response that
// stays open, for all sessions together.
import type { Channel, LinkMessage } from '../protocol/protocol.js';
import { eachLine } from './json-lines.js';

/** Milliseconds before the page looks again for a command that has ended. */
const AGAIN = 2000;

/** Which sessions there are, or what one of them says. */
type News =
  | { readonly sessions: readonly { readonly id: string; readonly name: string }[] }
  | { readonly session: string; readonly message: LinkMessage };

/** What is done with sessions that come and go. */
export interface SessionView {
  begun(channel: Channel, name: string): void;
  /** @param why a sentence */
  ended(channel: Channel, why: string): void;
}

export class ServedSessions {
  private readonly channels = new Map<string, ServedChannel>();

  /** @param token what the command printed; it goes with each request */
  constructor(
    private readonly token: string,
    private readonly view: SessionView,
  ) {
    void this.follow();
  }

  /** While the command cannot be reached, it is tried again. */
  private async follow(): Promise<void> {
    for (;;) {
      try {
        const response = await this.fetch('/sessions');
        if (!response.ok) throw new Error(`status ${response.status}`);
        await eachLine(response, (news) => this.receive(news as News));
        this.endAll(
          'The command that served this session has ended. Start it again on this port, with the same --token.',
        );
      } catch (error) {
        this.endAll(`The command that serves this session cannot be reached: ${(error as Error).message}.`);
      }
      await new Promise((resolve) => setTimeout(resolve, AGAIN));
    }
  }

  private fetch(path: string, body?: LinkMessage): Promise<Response> {
    const headers = { authorization: `Bearer ${this.token}`, 'content-type': 'application/json' };
    return fetch(path, body ? { method: 'POST', headers, body: JSON.stringify(body) } : { headers });
  }

  private receive(news: News): void {
    if ('session' in news) {
      this.channels.get(news.session)?.hear(news.message);
      return;
    }
    const present = new Set(news.sessions.map(({ id }) => id));
    for (const [id, channel] of this.channels)
      if (!present.has(id))
        this.end(id, channel, `“${channel.name}” is no longer linked. It is shown here again when it links itself.`);
    for (const { id, name } of news.sessions) {
      if (this.channels.has(id)) continue;
      const channel = new ServedChannel(name, (message) => this.send(id, message));
      this.channels.set(id, channel);
      this.view.begun(channel, name);
    }
  }

  private send(id: string, message: LinkMessage): void {
    const channel = this.channels.get(id);
    if (!channel) return;
    this.fetch(`/sessions/${id}`, message).then(
      async (response) => {
        if (response.ok) channel.hear((await response.json()) as LinkMessage);
        else
          this.end(id, channel, `The command that serves this session refused a request: status ${response.status}.`);
      },
      // The stream of news ends, too, and says so.
      () => undefined,
    );
  }

  private endAll(why: string): void {
    for (const [id, channel] of this.channels) this.end(id, channel, why);
  }
  private end(id: string, channel: ServedChannel, why: string): void {
    if (this.channels.delete(id)) this.view.ended(channel, why);
  }
}

class ServedChannel implements Channel {
  private readonly listeners = new Set<(message: LinkMessage) => void>();

  constructor(
    readonly name: string,
    readonly send: (message: LinkMessage) => void,
  ) {}

  hear(message: LinkMessage): void {
    for (const listener of this.listeners) listener(message);
  }
  listen(listener: (message: LinkMessage) => void): () => void {
    this.listeners.add(listener);
    return () => void this.listeners.delete(listener);
  }
}
