// Operations on what is kept, on sessions, on tabs, and on what goes wrong with disk and network.
import { DISK_STATES } from '../world/disk.js';
import { NETWORK_STATES } from '../world/server.js';
import { at, NOTHING, type Act } from './act.js';

const BETWEEN = 'the world turns between calls';

/** Asks for one store, or for all. */
const asking =
  (what: 'rehydrate' | 'forget'): Act['perform'] =>
  (_player, { persistence, app }, { a, x }) => {
    if (!persistence) return NOTHING;
    void (x % 2 === 0 ? persistence[what]() : persistence[what](at(app.stores, a)!.store));
    return 'asked';
  };

/** It is fine again as often as it is not. */
const turning =
  (place: 'disk' | 'server', states: readonly string[]): Act['perform'] =>
  ({ world }, _session, { a, x }) =>
    (world[place].state = (x % 2 === 0 ? 'fine' : at(states, a)!) as never);

export const STORAGE = {
  flush: {
    group: 'keep',
    weight: 5,
    perform: (player, session) => (session.persistence ? player.flush(session) : NOTHING),
  },
  rehydrate: { group: 'keep', weight: 2, perform: asking('rehydrate') },
  forget: { group: 'keep', weight: 1, removes: true, perform: asking('forget') },
  close: {
    group: 'session',
    weight: 1,
    outside: BETWEEN,
    perform: (player, session) => player.close(session),
  },
  crash: {
    group: 'session',
    weight: 2,
    outside: BETWEEN,
    perform: (player, session) => {
      player.world.crash(session);
      return 'gone';
    },
  },
  open: {
    group: 'session',
    weight: 4,
    outside: BETWEEN,
    perform: (player, _session, { x }) => player.openAnother(x % 4 === 0 ? 1 : 2),
  },
  freeze: {
    group: 'tabs',
    weight: 1,
    outside: BETWEEN,
    perform: (_player, session) => {
      session.isFrozen = !session.isFrozen;
      return String(session.isFrozen);
    },
  },
  deliver: {
    group: 'tabs',
    weight: 14,
    outside: BETWEEN,
    perform: (player, session, { a }) => String(player.world.deliver(session, a)),
  },
  grant: {
    group: 'tabs',
    weight: 3,
    outside: BETWEEN,
    perform: (player) => String(player.world.channel.grant()),
  },
  serve: {
    group: 'weather',
    weight: 8,
    outside: BETWEEN,
    perform: (player) => String(player.world.serve()),
  },
  disk: { group: 'weather', weight: 3, perform: turning('disk', DISK_STATES) },
  network: { group: 'weather', weight: 3, perform: turning('server', NETWORK_STATES) },
  /** The next writes are done, but their responses are lost. */
  lose: {
    group: 'weather',
    weight: 3,
    perform: ({ world }, _session, { x }) => {
      world.server.losing = world.disk.losing = 1 + (x % 2);
      return 'losing';
    },
  },
  cut: {
    group: 'weather',
    weight: 1,
    perform: ({ world }) => {
      world.server.cutting = 1;
      return 'cutting';
    },
  },
  damage: {
    group: 'weather',
    weight: 1,
    removes: true,
    perform: (player, _session, { x }) => String(player.damage(x)),
  },
  wait: {
    group: 'work',
    weight: 5,
    outside: BETWEEN,
    perform: async ({ world }, _session, { x }) => {
      await world.advance([50, 100, 300, 1000, 15_000, 60_000][x % 6]);
      return 'waited';
    },
  },
} satisfies Record<string, Act>;
