import { store } from 'floe';
import { shiftEnded } from './shift.js';
import type { Phase, Visit } from './types.js';

export type Filter = 'all' | 'expected' | 'alongside' | 'departed';

/** What follows a phase when a visit moves on. */
export const nextPhase: Partial<Record<Phase, Phase>> = { expected: 'alongside', alongside: 'departed' };

/** The visits of one day, and what the watch officer looks at. */
export const visits = store('visits', {
  day: '2031-03-02',
  list: [] as Visit[],
  loading: 'not yet' as 'not yet' | 'under way' | 'done' | 'failed',
  problem: null as string | null,
  filter: 'all' as Filter,
  picked: null as string | null,
}).persisted({ only: ['day', 'filter'] });

export const dayPicked = visits.action('dayPicked', (draft, day: string) => {
  draft.day = day;
  draft.loading = 'under way';
  draft.problem = null;
  draft.picked = null;
});

export const visitsArrived = visits.action('arrived', (draft, { day, list }: { day: string; list: Visit[] }) => {
  // An answer for a day that is no longer looked at comes too late.
  if (day !== draft.day) return;
  draft.list = list;
  draft.loading = 'done';
});

export const loadingFailed = visits.action(
  'loadingFailed',
  (draft, { day, problem }: { day: string; problem: string }) => {
    if (day !== draft.day) return;
    draft.list = [];
    draft.loading = 'failed';
    draft.problem = problem;
  },
);

export const filterPicked = visits.action('filterPicked', (draft, filter: Filter) => {
  draft.filter = filter;
});

export const visitPicked = visits.action('picked', (draft, id: string | null) => {
  draft.picked = id;
});

export const visitPlanned = visits.action('planned', (draft, visit: Visit) => {
  draft.list.push(visit);
  draft.picked = visit.id;
});

export const visitMovedOn = visits.action(
  'movedOn',
  (draft, { id, phase, at }: { id: string; phase: Phase; at: string }) => {
    const visit = draft.list.find((one) => one.id === id);
    if (!visit) return;
    visit.phase = phase;
    if (phase === 'alongside') visit.arrives = at;
    if (phase === 'departed') visit.departs = at;
  },
);

visits.when(shiftEnded, (draft) => {
  draft.picked = null;
  draft.filter = 'all';
});

visits.invariant('a departed visit has a departure time', ({ list }) =>
  list.every(({ phase, departs }) => phase !== 'departed' || departs !== null),
);

export const dayShown = visits.selector('dayShown', (state) => state.day);
export const filterShown = visits.selector('filterShown', (state) => state.filter);
export const loading = visits.selector('loading', (state) => state.loading);
export const loadingProblem = visits.selector('loadingProblem', (state) => state.problem);

/** All visits of the day in the order in which they arrive. */
export const inOrder = visits.selector('inOrder', (state) =>
  [...state.list].sort((a, b) => a.arrives.localeCompare(b.arrives)),
);

export const visitById = visits.selector('byId', (state, id: string) => state.list.find((visit) => visit.id === id));

export const pickedId = visits.selector('pickedId', (state) => state.picked);
