// The state of the rows about persistence: 10 MB, in 40,000 visits.
import { store } from '../dist/core/index.js';

export const visitOf = (i) => ({
  id: `v${i}`,
  phase: ['expected', 'alongside', 'departed'][i % 3],
  arrives: `2031-03-${10 + (i % 20)}T0${i % 10}:15:00Z`,
  departs: null,
  vessel: `SK-${100 + (i % 700)}`,
  place: `N${i % 9}`,
  remarks: `Shore power wanted, crew change at the outer quay, visit ${i}. `.repeat(2),
});

export const declare = () => {
  const visits = store('visits', { list: [] }).persisted();
  return {
    visits,
    arrived: visits.action('arrived', (_draft, list) => ({ list })),
    moved: visits.action('moved', (draft, [at, place]) => {
      draft.list[at].place = place;
    }),
  };
};

export const manyVisits = () => Array.from({ length: 40_000 }, (_, i) => visitOf(i));
