import { store } from 'floe';

/** The vessels that are expected, in the order in which they were planned. Kept between sessions. */
export const visits = store('visits', { list: [] as string[] }).persisted();

export const visitPlanned = visits.action(
  'planned',
  (draft, vessel: string) => {
    if (!draft.list.includes(vessel)) draft.list.push(vessel);
  },
  { about: { title: (vessel) => `planned a visit of ${vessel}` } },
);

export const visitCancelled = visits.action(
  'cancelled',
  (draft, vessel: string) => {
    draft.list = draft.list.filter((one) => one !== vessel);
  },
  { about: { title: (vessel) => `cancelled the visit of ${vessel}` } },
);

visits.invariant('each vessel once', ({ list }) => new Set(list).size === list.length);

export const expected = visits.selector('expected', ({ list }) => list.length);
