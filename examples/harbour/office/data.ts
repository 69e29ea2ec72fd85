// The harbour's invented data, made from a seed: the same seed gives the same day.
import type {
  Anchorage,
  Berth,
  Crew,
  Operator,
  Phase,
  Service,
  Vessel,
  VesselKind,
  Visit,
} from '../src/model/types.js';

/** The clock on the office's wall, UTC. Earlier visits have departed, later ones are expected. */
export const NOW = '2031-03-02T10:30:00.000Z';

/** Random numbers in [0, 1) from a seed (mulberry32). */
export function randomFrom(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  };
}

export const operators: readonly Operator[] = [
  { id: 'op-skerrow', name: 'Skerrow Passage Line', flag: 'Orrland' },
  { id: 'op-tarnwick', name: 'Tarnwick Coasters', flag: 'Orrland' },
  { id: 'op-brannoch', name: 'Brannoch Fishers', flag: 'Vell' },
  { id: 'op-halvast', name: 'Halvast Towage', flag: 'Orrland' },
  { id: 'op-merrin', name: 'Merrin Deep Survey', flag: 'Castery' },
];

const fleet: readonly (readonly [string, VesselKind, number, number, number])[] = [
  ['Skerrow Maid', 'ferry', 62, 3.1, 0],
  ['Lantern Sound', 'ferry', 71, 3.6, 0],
  ['Morrow Tide', 'ferry', 58, 2.9, 0],
  ['Ostrel', 'coaster', 88, 5.2, 1],
  ['Pelldrift', 'coaster', 82, 5.0, 1],
  ['Vanmoor', 'coaster', 94, 5.6, 1],
  ['Quillane', 'coaster', 79, 4.8, 1],
  ['Corran Bell', 'trawler', 31, 3.8, 2],
  ['Hester Wynd', 'trawler', 28, 3.4, 2],
  ['Brack Gull', 'trawler', 34, 4.0, 2],
  ['Nessa Vane', 'trawler', 26, 3.2, 2],
  ['Stout Anwen', 'tug', 24, 4.1, 3],
  ['Stout Idris', 'tug', 26, 4.3, 3],
  ['Wren Sound', 'ferry', 44, 2.6, 0],
  ['Ardle', 'coaster', 66, 4.4, 1],
  ['Tessaly', 'coaster', 72, 4.6, 1],
  ['Marram Rose', 'trawler', 24, 3.0, 2],
  ['Ellen Skua', 'trawler', 33, 3.9, 2],
  ['Kestrel Wynd', 'trawler', 29, 3.5, 2],
  ['Stout Bevan', 'tug', 22, 3.9, 3],
  ['Stout Carys', 'tug', 25, 4.2, 3],
  ['Far Lodestar', 'survey', 67, 4.6, 4],
  ['Little Lodestar', 'survey', 38, 3.3, 4],
];

export const vessels: readonly Vessel[] = fleet.map(([name, kind, length, draught, operator], i) => ({
  hull: `SK-${101 + i}`,
  name,
  kind,
  length,
  draught,
  operator: operators[operator],
}));

const berth = (id: string, quay: string, length: number, depth: number, services: Berth['services']): Berth => ({
  id,
  kind: 'berth',
  quay,
  length,
  depth,
  services,
});

export const berths: readonly Berth[] = [
  berth('N1', 'North Quay', 110, 7.2, ['power', 'water', 'fuel']),
  berth('N2', 'North Quay', 100, 6.8, ['power', 'water']),
  berth('N3', 'North Quay', 95, 6.4, ['power', 'water']),
  berth('N4', 'North Quay', 70, 5.5, ['water']),
  berth('S1', 'South Quay', 90, 6.0, ['power', 'water', 'fuel']),
  berth('S2', 'South Quay', 80, 5.6, ['water']),
  berth('S3', 'South Quay', 45, 4.8, ['water']),
  berth('W1', 'West Mole', 40, 4.6, ['fuel', 'water']),
  berth('W2', 'West Mole', 36, 4.4, ['water']),
  berth('W3', 'West Mole', 36, 4.4, []),
];

export const anchorages: readonly Anchorage[] = [
  { id: 'A1', kind: 'anchorage', name: 'Inner Road', depth: 11 },
  { id: 'A2', kind: 'anchorage', name: 'Outer Road', depth: 19 },
];

const crew: readonly Crew[] = [
  { badge: 'C-07', name: 'Edda Marl', role: 'pilot', onShift: true },
  { badge: 'C-11', name: 'Tomas Keel', role: 'pilot', onShift: false },
  { badge: 'C-19', name: 'Ines Rudder', role: 'tug master', onShift: true },
  { badge: 'C-23', name: 'Orla Finch', role: 'bunker hand', onShift: true },
  { badge: 'C-31', name: 'Bram Stell', role: 'crane driver', onShift: true },
];

const kinds = ['pilot', 'tug', 'bunkering', 'crane'] as const;
const remarks = [
  '',
  '',
  '',
  'Fresh water on arrival',
  'Crew change',
  'Shore power wanted',
  'Deck cargo',
  'Doctor to meet the vessel',
];

const MINUTE = 60_000;

/** The visits of a day, `2031-03-02` say: about 40, one after the other at each berth. */
export function visitsOf(day: string, seed: number): Visit[] {
  const start = Date.parse(`${day}T00:00:00.000Z`);
  const random = randomFrom(seed + start / 86_400_000);
  const between = (low: number, high: number): number => Math.floor(low + random() * (high - low));
  const pick = <T>(from: readonly T[]): T => from[Math.floor(random() * from.length)];
  const now = Date.parse(NOW);
  const visits: Visit[] = [];
  /** When each vessel is here: none is at two places at once. */
  const calls = new Map<Vessel, { readonly from: number; readonly to: number }[]>();
  for (const place of [...berths, ...anchorages]) {
    let minute = between(10, 170);
    for (;;) {
      const stay = between(90, 330);
      if (minute + stay > 24 * 60 - 10) break;
      const arrives = start + minute * MINUTE;
      const departs = arrives + stay * MINUTE;
      const fitting = vessels.filter(
        (vessel) =>
          (place.kind === 'anchorage' || (vessel.length <= place.length && vessel.draught <= place.depth)) &&
          !calls.get(vessel)?.some(({ from, to }) => arrives < to + 60 * MINUTE && departs > from - 60 * MINUTE),
      );
      minute += stay + between(30, 150);
      if (fitting.length === 0) continue;
      const vessel = pick(fitting);
      calls.set(vessel, [...(calls.get(vessel) ?? []), { from: arrives, to: departs }]);
      const phase: Phase =
        random() < 0.05 ? 'cancelled' : departs <= now ? 'departed' : arrives <= now ? 'alongside' : 'expected';
      const id = `v${day.slice(8)}${String(visits.length + 1).padStart(2, '0')}`;
      visits.push({
        id,
        phase,
        arrives: new Date(arrives).toISOString(),
        departs: new Date(departs).toISOString(),
        priority: random() < 0.12 ? 'high' : 'normal',
        remarks: pick(remarks),
        vessel,
        place,
        services: Array.from({ length: between(0, 3) }, (_, i): Service => {
          const kind = pick(kinds);
          return {
            id: `${id}-s${i + 1}`,
            kind,
            status: phase === 'departed' ? 'done' : 'booked',
            minutes: between(2, 9) * 10,
            crew: pick(crew),
          };
        }),
      });
    }
  }
  return visits;
}
