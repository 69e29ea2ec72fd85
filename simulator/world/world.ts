// Everything outside of the runtimes: time, chance, the disk, the server, and the channel between tabs. All of it is seeded.
import type { RuntimeOptions } from 'floe';
import type { Blueprint } from '../application.js';
import type { Library } from '../library.js';
import type { Session } from '../session.js';
import { turn, WorldClock } from './clock.js';
import { Disk } from './disk.js';
import { Server } from './server.js';
import { SimulatedTabs } from './tabs.js';

/** Rounds after which a world that does not come to rest is taken for one that never will. */
const MOST_ROUNDS = 3000;

export class World {
  readonly clock = new WorldClock();
  readonly disk: Disk;
  readonly server = new Server();
  readonly channel = new SimulatedTabs(false);
  readonly sessions: Session[] = [];
  private seed = 1;

  constructor(
    private readonly floe: Library,
    private readonly blueprint: Blueprint,
  ) {
    this.disk = new Disk(blueprint.place === 'later', floe);
  }

  /** A linear congruential generator (Numerical Recipes' constants). */
  random(): number {
    this.seed = (Math.imul(this.seed, 1664525) + 1013904223) >>> 0;
    return this.seed / 2 ** 32;
  }

  storageFor(session: Session): RuntimeOptions['storage'] {
    const { floe } = this;
    const { place, tabs, elects, writeAfter } = this.blueprint;
    if (place === 'none') return undefined;
    if (place === 'http')
      return floe.httpStorage({ url: 'https://office.example/kept', fetch: this.server.fetch(session), writeAfter });
    const link = () =>
      elects
        ? this.channel.electing(session.id, (ms, fn) => this.clock.for(session).after(ms, fn))
        : this.channel.link(session.id);
    return floe.storageIn(() => this.disk.area(session), {
      writeAfter,
      ...(tabs && { tabs: floe.sharedTabs(link) }),
    });
  }

  get here(): Session[] {
    return this.sessions.filter(({ isGone }) => !isGone);
  }

  private readonly isFrozen = (owner: object): boolean => (owner as Session).isFrozen;

  /** Answers one call of the disk, or lets the network work again. */
  serve(): boolean {
    return this.disk.serve(this.isFrozen, (owner) => (owner as Session).isOver) || this.server.serve();
  }

  /** Delivers one message to a tab. */
  deliver(session: Session, which = 0): boolean {
    return !session.isFrozen && this.channel.has(session.id) && this.channel.deliver(session.id, which);
  }

  async advance(ms: number, between = turn): Promise<void> {
    await this.clock.advance(ms, this.isFrozen, between);
    await turn();
  }

  /** Messages and storages take no time where nothing holds them up. */
  private readonly deliverAll = async (): Promise<void> => {
    for (let isBusy = true; isBusy;) {
      await turn();
      isBusy = this.serve();
      for (const session of this.sessions) isBusy = this.deliver(session) || isBusy;
    }
  };

  /** The tabs hear of everything that was sent until now. */
  deliverNow(): void {
    this.channel.grant();
    for (let isBusy = true; isBusy;) isBusy = this.sessions.map((session) => this.deliver(session)).some(Boolean);
  }

  /** Gone without a word: neither its storage nor its clock answers any more. */
  crash(session: Session): void {
    session.isGone = true;
    this.channel.crash(session.id);
    this.clock.drop(session);
    this.disk.drop(session);
    this.server.drop(session);
  }

  /** Everything works again. */
  heal(): void {
    this.disk.state = 'fine';
    this.server.state = 'fine';
    this.disk.losing = this.server.losing = this.server.cutting = 0;
    for (const session of this.sessions) session.isFrozen = false;
  }

  /**
   * Delivers, answers and waits until nothing happens any more. Returns whether that came to an end.
   * @param ms so long it waits each time that nothing else happens
   */
  async rest(ms = 1000): Promise<boolean> {
    for (let rounds = 0, idle = 0; idle < 3; rounds++) {
      if (rounds > MOST_ROUNDS) return false;
      await turn();
      let isBusy = this.channel.grant();
      for (const session of this.sessions) {
        if (!session.isFrozen) this.channel.deliverElection(session.id);
        isBusy = this.deliver(session) || isBusy;
      }
      isBusy = this.serve() || isBusy;
      if (isBusy) idle = 0;
      else {
        idle++;
        await this.advance(ms, this.deliverAll);
      }
    }
    return true;
  }
}
