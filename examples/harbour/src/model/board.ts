// What the control room derives from several stores.
import { selector, type Read } from 'floe';
import type { RowIn } from 'floe/entities';
import { pickedId } from './address.js';
import { berths, port, visit, visitShown, visitWhole, type VisitShown } from './port.js';
import type { Berth, Phase } from './types.js';
import { dayShown, filterShown, type Filter } from './visits.js';

type VisitRow = RowIn<typeof visit>;

// Declared once, so that equal views are one view.
const onDay = ({ arrives }: VisitRow, day: string): boolean => arrives.startsWith(day);
const onDayIn = (row: VisitRow, day: string, filter: Filter): boolean => onDay(row, day) && row.phase === filter;

/** All visits of the day in the order in which they arrive. */
export const inOrder = selector('inOrder', (read) =>
  read(port.all(visit, { where: onDay, given: [read(dayShown)], sort: 'arrives' })),
);

/** The visits that the chosen filter lets through. */
export const visitsShown = selector('visitsShown', (read) => {
  const filter = read(filterShown);
  if (filter === 'all') return read(inOrder);
  return read(port.all(visit, { where: onDayIn, given: [read(dayShown), filter], sort: 'arrives' }));
});

/** How many visits there are in each phase, and in all. */
export const counts = selector(
  'counts',
  (read) => {
    const count: Record<Filter | 'cancelled', number> = {
      all: 0,
      expected: 0,
      alongside: 0,
      departed: 0,
      cancelled: 0,
    };
    for (const { key, rows } of read(port.all(visit, { where: onDay, given: [read(dayShown)], group: 'phase' }))) {
      count[key] = rows.length;
      count.all += rows.length;
    }
    return count;
  },
  { equal: 'deep' },
);

/** One berth, who lies there now, and who comes next. */
export interface BerthRow {
  readonly berth: Berth;
  readonly alongside: VisitShown | undefined;
  readonly next: VisitShown | undefined;
}

export const berthBoard = selector('berthBoard', (read): BerthRow[] => {
  const at = { alongside: new Map<string, VisitShown>(), expected: new Map<string, VisitShown>() };
  for (const { id, phase, place } of read(inOrder)) {
    if (place.kind !== 'berth' || (phase !== 'alongside' && phase !== 'expected')) continue;
    if (!at[phase].has(place.key)) at[phase].set(place.key, shown(read, id));
  }
  return read(berths).map((berth) => ({
    berth,
    alongside: at.alongside.get(berth.id),
    next: at.expected.get(berth.id),
  }));
});

/** A visit of which it is certain that it is there. */
export const shown = (read: Read, id: string): VisitShown => read(visitShown(id))!;

/** One vessel at one berth on the day, in minutes since midnight. */
export interface Stay {
  readonly id: string;
  readonly vessel: string;
  readonly phase: Phase;
  readonly from: number;
  readonly to: number;
  /** Another one lies there at that time. */
  readonly clashes: boolean;
}

/** Minutes. */
export const DAY = 24 * 60;
/** Minutes of the day; its end, where no time is known. */
const minutes = (time: string | null, day: string): number =>
  time === null ? DAY : Math.min(DAY, (Date.parse(time) - Date.parse(day)) / 60_000);

/** Who lies at a berth on the day, as a drawing shows it. */
export const staysAt = selector(
  'staysAt',
  (read, berth: string): Stay[] => {
    const day = read(dayShown);
    const stays = read(inOrder)
      .toArray()
      .filter(({ phase, place }) => place.kind === 'berth' && place.key === berth && phase !== 'cancelled')
      .map(({ id, phase, arrives, departs }) => ({
        id,
        phase,
        vessel: shown(read, id).vessel.name,
        from: minutes(arrives, day),
        to: minutes(departs, day),
      }));
    // Who has left is in no one's way.
    const due = stays.filter(({ phase }) => phase !== 'departed');
    return stays.map((stay) => ({
      ...stay,
      clashes: due.includes(stay) && due.some((one) => one !== stay && one.from < stay.to && stay.from < one.to),
    }));
  },
  { equal: 'deep' },
);

export const freeBerths = selector('freeBerths', (read) =>
  read(berthBoard)
    .filter((row) => !row.alongside)
    .map((row) => row.berth),
);

export const pickedVisit = selector('pickedVisit', (read) => {
  const id = read(pickedId);
  return id === null ? undefined : read(visitWhole(id));
});
