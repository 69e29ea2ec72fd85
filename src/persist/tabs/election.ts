// Chooses one of several tabs by messages alone, for pages without the Web Locks API. Two may lead for a moment; each hears
// of the other, and the one that was there first stays.
import type { TabLink } from './tab-link.js';

/** What it is made of. */
export interface ElectionChannel {
  send(message: unknown): void;
  listen(listener: (message: unknown) => void): void;
  close(): void;
  /** Calls `fn` once after some milliseconds. Returns a function that prevents it. */
  after(ms: number, fn: () => void): () => void;
  /** Of this tab; older tabs have smaller ones. */
  readonly id: string;
}

/** Milliseconds between two questions whether a tab leads, and for which a tab waits for the response. */
const PAUSE = 2000;
const TIME_LIMIT = 300;

interface Said {
  readonly floe: 'election';
  readonly says: 'who' | 'me' | 'bye';
  readonly id: string;
}

export class Election implements TabLink {
  private leading = false;
  private wanted = false;
  private stopTimer = (): void => undefined;
  private leads = (): void => undefined;
  private lost = (): void => undefined;
  private listener: (message: unknown) => void = () => undefined;

  constructor(private readonly channel: ElectionChannel) {
    channel.listen((message) => {
      if ((message as Partial<Said> | null)?.floe === 'election') this.hear(message as Said);
      else this.listener(message);
    });
  }

  send(message: unknown): void {
    this.channel.send(message);
  }

  listen(listener: (message: unknown) => void): void {
    this.listener = listener;
  }

  lead(leads: () => void, lost: () => void): void {
    this.leads = leads;
    this.lost = lost;
    this.wanted = true;
    this.ask();
  }

  close(): void {
    if (this.leading) this.say('bye');
    this.leading = false;
    this.wanted = false;
    this.stopTimer();
    this.channel.close();
  }

  private say(says: Said['says']): void {
    this.channel.send({ floe: 'election', says, id: this.channel.id } satisfies Said);
  }

  /** A tab that leads responds within the time; timers of tabs in the background are late, responses are not. */
  private ask(): void {
    this.wait(TIME_LIMIT, () => this.take());
    this.say('who');
  }

  private wait(ms: number, then: () => void): void {
    this.stopTimer();
    this.stopTimer = this.channel.after(ms, then);
  }

  private take(): void {
    this.leading = true;
    this.leads();
    this.say('me');
  }

  private hear({ says, id }: Said): void {
    if (!this.wanted) return;
    if (says === 'who') {
      if (this.leading) this.say('me');
    } else if (says === 'bye') this.ask();
    else if (!this.leading) this.wait(PAUSE, () => this.ask());
    else if (id < this.channel.id) {
      this.leading = false;
      this.wait(PAUSE, () => this.ask());
      this.lost();
    } else {
      this.say('me');
      // The other one may have been followed meanwhile.
      this.leads();
    }
  }
}
