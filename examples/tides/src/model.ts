// The tide, the berths, the visits of a day, and all that follows from them. Heights are metres, times are hours of the day.
import { selector, store } from 'floe';

export interface Berth {
  readonly id: string;
  /** Below chart datum. */
  readonly depth: number;
}
export interface Visit {
  readonly id: string;
  readonly vessel: string;
  readonly draught: number;
  readonly berth: string;
  readonly from: number;
  readonly hours: number;
}

const berths: Berth[] = [
  { id: 'N1', depth: 5.2 },
  { id: 'N2', depth: 4.1 },
  { id: 'N3', depth: 3.4 },
  { id: 'S1', depth: 6.8 },
  { id: 'S2', depth: 2.9 },
];
const visits: Visit[] = [
  { id: 'v1', vessel: 'Far Lodestar', draught: 5.9, berth: 'N1', from: 2, hours: 7 },
  { id: 'v2', vessel: 'Hester Wynd', draught: 6.4, berth: 'N1', from: 10, hours: 8 },
  { id: 'v3', vessel: 'Corran Bell', draught: 5.1, berth: 'N2', from: 1, hours: 6 },
  { id: 'v4', vessel: 'Ardle', draught: 4.2, berth: 'N2', from: 9, hours: 9 },
  { id: 'v5', vessel: 'Wren Sound', draught: 3.1, berth: 'N3', from: 4, hours: 12 },
  { id: 'v6', vessel: 'Ostrel', draught: 2.6, berth: 'N3', from: 15, hours: 5 },
  { id: 'v7', vessel: 'Marram', draught: 7.4, berth: 'S1', from: 0, hours: 9 },
  { id: 'v8', vessel: 'Pale Anchorite', draught: 6.9, berth: 'S1', from: 12, hours: 10 },
  { id: 'v9', vessel: 'Skua Light', draught: 2.4, berth: 'S2', from: 6, hours: 11 },
];

/** How far the water stands above the predicted tide, and how much of it a keel must have below it. */
export const water = store('water', { surge: 0, wanted: 0.5 });
export const surgeMeasured = water.action('surgeMeasured', (draft, surge: number) => {
  draft.surge = surge;
});
export const wantedSet = water.action('wantedSet', (draft, wanted: number) => {
  draft.wanted = wanted;
});

export const board = store('board', { berths, visits, picked: 'v2' });
export const visitPicked = board.action('picked', (draft, id: string) => {
  draft.picked = id;
});
/** A visit comes earlier or later, or to the berth that stands `up` lines above. */
export const visitShifted = board.action('shifted', (draft, { hours = 0, up = 0 }: { hours?: number; up?: number }) => {
  const visit = draft.visits.find(({ id }) => id === draft.picked)!;
  const line = draft.berths.findIndex(({ id }) => id === visit.berth) - up;
  visit.from = Math.min(24 - visit.hours, Math.max(0, visit.from + hours));
  visit.berth = draft.berths[line]?.id ?? visit.berth;
});
board.invariant('every visit has a berth', ({ berths, visits }) =>
  visits.every(({ berth }) => berths.some(({ id }) => id === berth)),
);
export const stores = [water, board];

const wave = (hour: number, period: number, height: number, high: number): number =>
  height * Math.cos((2 * Math.PI * (hour - high)) / period);

/** The height of the water above chart datum: the moon's and the sun's tide, and the surge. */
export const level = water.selector(
  'level',
  ({ surge }, hour: number) =>
    2.7 + surge + wave(hour, 12.42, 1.6, 5.1) + wave(hour, 12, 0.4, 4.4) + wave(hour, 25.8, 0.2, 9),
);

/** The least water that stands over chart datum during an hour. */
const lowest = selector('lowest', (read, hour: number) => Math.min(read(level(hour)), read(level(hour + 1))));

/** What each hour of a visit leaves under its keel. */
export const clearances = selector('clearances', (read, id: string) => {
  const { visits, berths } = read(board);
  const { berth, from, hours, draught } = visits.find((one) => one.id === id)!;
  const { depth } = berths.find((one) => one.id === berth)!;
  return Array.from({ length: hours }, (_, i) => depth + read(lowest(from + i)) - draught);
});

/** The least of them. */
export const least = selector('least', (read, id: string) => Math.min(...read(clearances(id))));

/** The visits that lie at one berth with this one. */
export const beside = board.selector('beside', ({ visits }, id: string) => {
  const { berth, from, hours } = visits.find((one) => one.id === id)!;
  return visits.filter(
    (one) => one.id !== id && one.berth === berth && one.from < from + hours && from < one.from + one.hours,
  );
});

/** Why a visit cannot be as it is planned; nothing where it can. */
export const clash = selector('clash', (read, id: string) => {
  const [other] = read(beside(id));
  if (other) return `lies at ${other.berth} together with ${other.vessel}`;
  const under = read(least(id));
  if (under >= read(water).wanted) return undefined;
  const hours = read(clearances(id)).filter((one) => one < read(water).wanted).length;
  const when = `for ${hours} ${hours === 1 ? 'hour' : 'hours'}`;
  return under < 0 ? `lies aground ${when}` : `has only ${metres(under, 2)} under its keel ${when}`;
});

export const clashes = selector('clashes', (read) =>
  read(board).visits.filter(({ id }) => read(clash(id)) !== undefined),
);

/** What the picked visit needs: a height of the tide, from when to when. */
export const need = selector('need', (read) => {
  const { visits, berths, picked } = read(board);
  const visit = visits.find(({ id }) => id === picked)!;
  const { depth } = berths.find(({ id }) => id === visit.berth)!;
  return { visit, height: visit.draught + read(water).wanted - depth };
});

/** The curve of the day, every quarter of an hour. */
export const TIMES = Array.from({ length: 97 }, (_, i) => i / 4);
export const curve = selector('curve', (read) => TIMES.map((hour) => read(level(hour))));

export const metres = (value: number, digits = 1): string =>
  `${value < 0 ? '−' : ''}${Math.abs(value).toFixed(digits)} m`;
export const hourText = (hour: number): string => `${String(Math.floor(hour)).padStart(2, '0')}:00`;
