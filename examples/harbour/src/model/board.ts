// What the control room derives from several stores.
import { selector } from 'floe';
import { berths } from './port.js';
import type { Berth, Phase, Visit } from './types.js';
import { filterShown, inOrder, pickedId, visitById, type Filter } from './visits.js';

/** The visits that the chosen filter lets through. */
export const visitsShown = selector('visitsShown', (read) => {
  const filter = read(filterShown);
  return read(inOrder).filter((visit) => filter === 'all' || visit.phase === filter);
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
    for (const { phase } of read(inOrder)) {
      count.all++;
      count[phase]++;
    }
    return count;
  },
  { equal: 'deep' },
);

/** One berth, who lies there now, and who comes next. */
export interface BerthRow {
  readonly berth: Berth;
  readonly alongside: Visit | undefined;
  readonly next: Visit | undefined;
}

export const berthBoard = selector('berthBoard', (read): BerthRow[] => {
  const at = (id: string, phase: Phase): Visit | undefined =>
    read(inOrder).find((visit) => visit.place.id === id && visit.phase === phase);
  return read(berths).map((berth) => ({ berth, alongside: at(berth.id, 'alongside'), next: at(berth.id, 'expected') }));
});

export const freeBerths = selector('freeBerths', (read) =>
  read(berthBoard)
    .filter((row) => !row.alongside)
    .map((row) => row.berth),
);

export const pickedVisit = selector('pickedVisit', (read) => {
  const id = read(pickedId);
  return id === null ? undefined : read(visitById(id));
});
