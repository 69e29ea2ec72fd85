import { store } from 'floe';
import * as v from 'valibot';
import { shiftEnded } from './shift.js';
import type { Phase } from './types.js';

export type Filter = 'all' | 'expected' | 'alongside' | 'departed';

/** What follows a phase when a visit moves on. */
export const nextPhase: Partial<Record<Phase, Phase>> = { expected: 'alongside', alongside: 'departed' };

/** What was kept may be of any age: a day and a known filter, or it is not used. Valibot implements Standard Schema. */
const kept = v.object({
  day: v.pipe(v.string('is not a day'), v.isoDate('is not a day')),
  filter: v.picklist(['all', 'expected', 'alongside', 'departed'] satisfies Filter[], 'is not a filter'),
});

/** What the watch officer looks at: a day, a filter. The visits themselves are rows of the port. */
export const visits = store('visits', {
  day: '2031-03-02',
  /** The day whose visits have arrived. */
  known: null as string | null,
  filter: 'all' as Filter,
}).persisted({
  only: ['day', 'filter'],
  version: 4,
  upgrade: [
    // 1 to 2: the day was a date.
    ({ date, ...rest }: { date: string }) => ({ day: date, ...rest }),
    // 2 to 3: visits were shown by a word of the officers' own.
    ({ day, show }: { day: string; show: string }) => ({ day, filter: show === 'here' ? 'alongside' : show }),
    // 3 to 4: cancelled visits no longer have a filter of their own.
    (kept: { filter: string }) => {
      if (kept.filter === 'cancelled') kept.filter = 'all';
    },
  ],
  check: kept,
});

export const dayPicked = visits.action(
  'dayPicked',
  (draft, day: string) => {
    draft.day = day;
  },
  { about: { title: (day) => `picked the day ${day}` } },
);

export const visitsArrived = visits.action(
  'arrived',
  (draft, day: string) => {
    draft.known = day;
  },
  { about: { title: (day) => `showed the visits of ${day}` } },
);

export const filterPicked = visits.action(
  'filterPicked',
  (draft, filter: Filter) => {
    draft.filter = filter;
  },
  { about: { title: (filter) => `showed ${filter} visits` } },
);

visits.when(shiftEnded, (draft) => {
  draft.filter = 'all';
});

export const dayShown = visits.selector('dayShown', (state) => state.day);
export const filterShown = visits.selector('filterShown', (state) => state.filter);
export const dayKnown = visits.selector('dayKnown', (state) => state.known === state.day);
