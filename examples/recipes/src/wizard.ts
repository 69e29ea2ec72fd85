// A wizard: waits for three choices in any order, then for a yes; the officer can leave at any time. When the office
// refuses the berth, it waits for another one and keeps the rest.
import { store, task } from 'floe';
import { Conflict, inTime, office, visitIn, type Plan, type Visit } from './office.js';

const empty = {
  step: 'closed' as 'closed' | 'choose' | 'confirm' | 'other berth' | 'planned',
  plan: null as Plan | null,
  problem: null as string | null,
  visit: null as Visit | null,
};
export const planning = store('planning', empty);

export const planBegun = planning.action('begun', () => ({ ...empty, step: 'choose' as const }));
export const vesselChosen = planning.action('vesselChosen', (_draft, _vessel: string) => undefined);
export const berthChosen = planning.action('berthChosen', (_draft, _berth: string) => undefined);
export const dayChosen = planning.action('dayChosen', (_draft, _day: string) => undefined);
export const planReady = planning.action('ready', (draft, plan: Plan) => {
  draft.step = 'confirm';
  draft.plan = plan;
});
export const planConfirmed = planning.action('confirmed', (draft) => {
  draft.problem = null;
});
export const planFailed = planning.action(
  'failed',
  (draft, { problem, taken }: { problem: string; taken: boolean }) => {
    draft.problem = problem;
    if (taken) draft.step = 'other berth';
  },
);
export const visitPlanned = planning.action('planned', (draft, visit: Visit) => {
  draft.step = 'planned';
  draft.visit = visit;
});
export const planLeft = planning.action('left', () => empty);

export const planVisit = task(
  planning,
  'plan',
  async ({ dispatch, use, next, sleep }) => {
    const desk = use(office);
    dispatch(planBegun());
    const left = next(planLeft).then(() => undefined);
    const choices = await Promise.race([left, Promise.all([next(vesselChosen), next(berthChosen), next(dayChosen)])]);
    if (!choices) return;
    const [{ payload: vessel }, { payload: firstBerth }, { payload: day }] = choices;
    for (let berth = firstBerth; ;) {
      dispatch(planReady({ vessel, berth, day }));
      if (!(await Promise.race([left, next(planConfirmed)]))) return;
      try {
        dispatch(visitPlanned(visitIn(await inTime(sleep, desk.plan({ vessel, berth, day })))));
        return;
      } catch (error) {
        const taken = error instanceof Conflict;
        dispatch(planFailed({ problem: (error as Error).message, taken }));
        if (!taken) continue; // The officer may confirm once more.
      }
      const other = await Promise.race([left, next(berthChosen)]);
      if (!other) return;
      berth = other.payload;
    }
  },
  { overlap: 'replace' },
);
