// Load: placeholders before the first response, and the old list while a newer one is on its way.
import { selector, store, task } from 'floe';
import { inTime, office, visitsIn, type Visit } from './office.js';

export const visits = store('visits', { day: null as string | null, list: [] as Visit[] });

export const visitsArrived = visits.action('arrived', (draft, { day, list }: { day: string; list: Visit[] }) => {
  draft.day = day;
  draft.list = list;
});

export const loadVisits = task(
  visits,
  'load',
  async ({ dispatch, use, signal, sleep }, day: string) => {
    const response = await inTime(sleep, use(office).visits(day, { signal }));
    dispatch(visitsArrived({ day, list: visitsIn(response) }));
  },
  // A newer question makes the older one void. What failed is asked twice more, after one and after two seconds.
  { overlap: 'replace', retry: { times: 2, wait: (attempt) => attempt * 1000 } },
);

/** What the page shows. */
export const shownVisits = selector('shownVisits', (read) => {
  const { day, list } = read(visits);
  const { phase, error } = read(loadVisits.status);
  return {
    list,
    placeholders: day === null && phase === 'running',
    refreshing: day !== null && phase === 'running',
    problem: phase === 'failed' ? error?.message : undefined,
  };
});
