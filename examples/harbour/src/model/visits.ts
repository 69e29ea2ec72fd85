import { store } from 'floe';
import { shiftEnded } from './shift.js';
import type { Phase } from './types.js';

export type Filter = 'all' | 'expected' | 'alongside' | 'departed';

/** What follows a phase when a visit moves on. */
export const nextPhase: Partial<Record<Phase, Phase>> = { expected: 'alongside', alongside: 'departed' };

/** What the watch officer looks at: a day, a filter. The visits themselves are rows of the port. */
export const visits = store('visits', {
  day: '2031-03-02',
  /** The day whose visits have arrived. */
  known: null as string | null,
  filter: 'all' as Filter,
}).persisted({ only: ['day', 'filter'] });

export const dayPicked = visits.action('dayPicked', (draft, day: string) => {
  draft.day = day;
});

export const visitsArrived = visits.action('arrived', (draft, day: string) => {
  draft.known = day;
});

export const filterPicked = visits.action('filterPicked', (draft, filter: Filter) => {
  draft.filter = filter;
});

visits.when(shiftEnded, (draft) => {
  draft.filter = 'all';
});

export const dayShown = visits.selector('dayShown', (state) => state.day);
export const filterShown = visits.selector('filterShown', (state) => state.filter);
export const dayKnown = visits.selector('dayKnown', (state) => state.known === state.day);
