import { need, selector, store, task } from 'floe';

/** What the page needs of the harbour office. `src/office.ts` stands in for one. */
export interface Office {
  /** @throws where the office refuses the visit */
  plan(vessel: string): Promise<void>;
}
export const office = need<Office>('office');

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

/** Plans a visit: on the screen at once, and gone again when the office refuses it. */
export const planVisit = task(visits, 'plan', async ({ optimistic, use }, vessel: string) => {
  const { plan } = use(office);
  optimistic(visitPlanned(vessel));
  await plan(vessel);
});

export const expected = visits.selector('expected', ({ list }) => list.length);

/** Why the office refused the last visit. */
export const refusal = selector('refusal', (read) => {
  const { phase, error } = read(planVisit.status);
  return phase === 'failed' ? error?.message : undefined;
});
