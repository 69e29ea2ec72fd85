// The work of the control room that takes time: it asks the office, then says what happened.
import { selector, task, type Read, type TaskStatus } from 'floe';
import { address, visitAt } from './address.js';
import { showNotice } from './notices.js';
import { office } from './office.js';
import { berth, berthAssigned, port, vessel, visit, visitCancelled, visitMovedOn, visitRestored } from './port.js';
import type { Plan, Visit } from './types.js';
import { dayKnown, dayPicked, dayShown, visits, visitsArrived } from './visits.js';

export const loadPort = task(
  port,
  'load',
  async ({ atomic, dispatch, use, signal }) => {
    const { berths, vessels } = await use(office).port({ signal });
    atomic(() => {
      dispatch(port.ingest(berth, berths));
      dispatch(port.ingest(vessel, vessels));
    });
  },
  { about: { title: 'load the port' } },
);

/** What is under way that changes visits. */
const changing = (read: Read): readonly TaskStatus[] =>
  [assignBerth, moveOn, planVisit, tellCancelled].map(({ status }) => read(status));

/** Milliseconds until the office is asked again. */
const PAUSE = 500;

/** Asks for the visits of a day; one that is picked meanwhile takes its place. */
export const loadDay = task(
  visits,
  'loadDay',
  async ({ atomic, dispatch, read, sleep, use, signal }, day: string) => {
    let list: readonly Visit[] | undefined;
    while (!list) {
      const before = changing(read);
      const found = await use(office).visits(day, { signal });
      // What was changed since the office was asked may be missing in it: `npx floe explore` found that.
      const isNow = changing(read).every((status, i) => status === before[i] && status.phase !== 'running');
      if (isNow) list = found;
      else await sleep(PAUSE);
    }
    const arrived = list;
    atomic(() => {
      dispatch(port.ingest(visit, arrived));
      dispatch(visitsArrived(day));
    });
  },
  { when: dayPicked, overlap: 'replace', about: { title: (day) => `load the visits of ${day}` } },
);

/** What the page begins with: the port, and the day that is shown. */
export const openRoom = task(
  visits,
  'open',
  async ({ read, run }) => {
    await Promise.all([run(loadPort()), run(loadDay(read(dayShown)))]);
  },
  { about: { title: 'open the control room' } },
);

/** Whether the visits of the day are there, on their way, or missing. */
export const loading = selector('loading', (read): 'done' | 'under way' | 'failed' => {
  if (read(loadDay.status).phase === 'failed') return 'failed';
  return read(dayKnown) ? 'done' : 'under way';
});
export const loadingProblem = selector('loadingProblem', (read) => read(loadDay.status).error?.message);

export const planVisit = task(
  visits,
  'plan',
  async ({ atomic, dispatch, use }, plan: Plan) => {
    const planned = await use(office).plan(plan);
    atomic(() => {
      dispatch(port.ingest(visit, planned));
      dispatch(address.went(visitAt(planned.id)));
    });
  },
  { about: { title: 'plan a visit' } },
);

/** Brings a visit alongside, or lets it depart. */
export const moveOn = task(
  port,
  'moveOn',
  async ({ dispatch, use }, id: string) => {
    const { phase, arrives, departs } = await use(office).moveOn(id);
    dispatch(visitMovedOn({ id, phase, at: phase === 'departed' ? (departs ?? arrives) : arrives }));
  },
  { overlap: 'ignore', overlapBy: (id) => id, about: { title: (id) => `move ${id} on` } },
);

/** Gives a visit a berth: on the screen at once; the office confirms or refuses a little later. */
export const assignBerth = task(
  port,
  'assignBerth',
  async ({ optimistic, use, run }, id: string, place: string) => {
    const desk = use(office);
    const assigned = optimistic(berthAssigned({ id, berth: place }));
    try {
      await desk.assign(id, place);
      assigned.confirm();
      void run(showNotice(`The office confirms ${place}.`));
    } catch (error) {
      assigned.revert();
      void run(showNotice(`${place} was not assigned. ${(error as Error).message}`));
      throw error;
    }
  },
  { overlap: 'queue', overlapBy: (id) => id, about: { title: 'assign a berth' } },
);

/** The visit is cancelled on the screen, after a question; now the office is told, and may see it otherwise. */
export const tellCancelled = task(
  port,
  'tellCancelled',
  async ({ dispatch, use, run }, id: string) => {
    const desk = use(office);
    try {
      await desk.cancel(id);
    } catch (error) {
      dispatch(visitRestored(id));
      void run(showNotice(`The visit stays. ${(error as Error).message}`));
      throw error;
    }
  },
  { when: visitCancelled, about: { title: 'tell the office of the cancelled visit' } },
);
