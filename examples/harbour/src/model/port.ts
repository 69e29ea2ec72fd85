// The port: everything that has a key, kept once. The office's nested responses go in, nested views come out.
import type { StateReader } from 'floe';
import { byKind, entity, linkTo, listOf, rowOf, tables, type Expanded } from 'floe/entities';
import type { Anchorage, Berth, Crew, Operator, Phase, Service, Vessel, Visit } from './types.js';

export const operator = entity('operator', rowOf<Operator>(), { key: 'id' });
export const vessel = entity('vessel', rowOf<Vessel>(), { key: 'hull', links: { operator } });
export const berth = entity('berth', rowOf<Berth>(), { key: 'id' });
export const anchorage = entity('anchorage', rowOf<Anchorage>(), { key: 'id' });
export const crew = entity('crew', rowOf<Crew>(), { key: 'badge' });
export const service = entity('service', rowOf<Service>(), { key: 'id', links: { crew } });
export const visit = entity('visit', rowOf<Visit>(), {
  key: 'id',
  links: {
    // A visit is nothing without its vessel.
    vessel: linkTo(vessel, { removed: 'cascade' }),
    place: byKind('kind', { berth, anchorage }),
    services: listOf(service, { removed: 'unlink' }),
  },
});

export const port = tables('port', [operator, vessel, berth, anchorage, crew, service, visit], {
  about: { ingest: { title: (payload) => `took in ${rowsOf(payload)}` } },
});

/** What came from the office, in words: "41 rows of visit, vessel and service". */
function rowsOf(payload: unknown): string {
  const { rows } = payload as { readonly rows: Readonly<Record<string, object>> };
  const types = Object.entries(rows).filter(([, byKey]) => Object.keys(byKey).length > 0);
  const count = types.reduce((sum, [, byKey]) => sum + Object.keys(byKey).length, 0);
  return `${count} rows of ${types.map(([type]) => type).join(', ')}`;
}

/** The vessel of a visit by name, for the titles of actions. */
const vesselOf = (id: string, before: StateReader): string => {
  const { visit: visits, vessel: vessels } = before(port);
  const row = visits.get(id);
  return (row && vessels.get(row.vessel)?.name) ?? id;
};

export const visitMovedOn = port.action(
  'movedOn',
  (draft, { id, phase, at }: { id: string; phase: Phase; at: string }) => {
    const row = draft.visit.get(id);
    if (!row) return;
    row.phase = phase;
    if (phase === 'alongside') row.arrives = at;
    if (phase === 'departed') row.departs = at;
  },
  {
    about: {
      title: ({ id, phase }, before) =>
        phase === 'alongside'
          ? `brought ${vesselOf(id, before)} alongside`
          : phase === 'departed'
            ? `let ${vesselOf(id, before)} depart`
            : `put ${vesselOf(id, before)} back to ${phase}`,
    },
  },
);

/** Shown at once; the office confirms it, or refuses. */
export const berthAssigned = port.action(
  'berthAssigned',
  (draft, { id, berth: key }: { id: string; berth: string }) => {
    const row = draft.visit.get(id);
    if (row) row.place = { kind: 'berth', key };
  },
  {
    about: {
      title: ({ id, berth: key }, before) => `gave ${vesselOf(id, before)} berth ${key}`,
      confirmed: 'the office confirmed it',
      reverted: 'the office refused it',
    },
  },
);

export const visitCancelled = port.action(
  'visitCancelled',
  (draft, id: string) => {
    const row = draft.visit.get(id);
    if (row) row.phase = 'cancelled';
  },
  {
    about: { confirm: 'Cancel this visit?', title: (id, before) => `cancelled the visit of ${vesselOf(id, before)}` },
  },
);

/** The office did not take a cancelling. */
export const visitRestored = port.action(
  'visitRestored',
  (draft, id: string) => {
    const row = draft.visit.get(id);
    if (row) row.phase = 'expected';
  },
  { about: { title: (id, before) => `restored the visit of ${vesselOf(id, before)}` } },
);

port.invariant('a departed visit has a departure time', (state) =>
  [...state.visit.values()].every(({ phase, departs }) => phase !== 'departed' || departs !== null),
);
port.invariant('no two visits alongside one berth', (state) => {
  const taken = [...state.visit.values()].filter(({ phase, place }) => phase === 'alongside' && place.kind === 'berth');
  return new Set(taken.map(({ place }) => place.key)).size === taken.length;
});
port.invariant('every visit leads to its vessel and its place', (state) =>
  [...state.visit.values()].every((row) => state.vessel.has(row.vessel) && state[row.place.kind].has(row.place.key)),
);

export const berths = port.all(berth);
export const vessels = port.all(vessel, { sort: 'name' });

/** A visit as lists show it: with its vessel and its place. */
export type VisitShown = Expanded<typeof visit, 'vessel' | 'place'>;
export const visitShown = (id: string) => port.expand(visit, id, { along: ['vessel', 'place'], missing: 'error' });

/** A visit with all that is known of it. */
export type VisitWhole = Expanded<typeof visit, 'vessel.operator' | 'place' | 'services.crew'>;
export const visitWhole = (id: string) =>
  port.expand(visit, id, { along: ['vessel.operator', 'place', 'services.crew'], missing: 'error' });
