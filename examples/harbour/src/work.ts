// The work of the control room that takes time: it asks the office, then says what happened.
import type { Runtime } from 'floe';
import {
  dayPicked,
  dayShown,
  loadingFailed,
  berth,
  port,
  vessel,
  visit,
  visitMovedOn,
  visitPicked,
  visitsArrived,
  type Plan,
} from './model/index.js';
import type { Office } from './office-client.js';

export interface Work {
  /** Asks for the port and for the day that is shown. */
  open(): Promise<void>;
  showDay(day: string): Promise<void>;
  plan(plan: Plan): Promise<void>;
  moveOn(id: string): Promise<void>;
  rename(hull: string, name: string): Promise<void>;
}

export function workWith(
  { dispatch, read, atomic }: Pick<Runtime, 'dispatch' | 'read' | 'atomic'>,
  office: Office,
): Work {
  const showDay = async (day: string): Promise<void> => {
    dispatch(dayPicked(day));
    try {
      const list = await office.visits(day);
      atomic(() => {
        dispatch(port.ingest(visit, list));
        dispatch(visitsArrived(day));
      });
    } catch (error) {
      dispatch(loadingFailed({ day, problem: error instanceof Error ? error.message : String(error) }));
    }
  };
  return {
    showDay,
    async open() {
      const arriving = office.port().then(({ berths, vessels }) =>
        atomic(() => {
          dispatch(port.ingest(berth, berths));
          dispatch(port.ingest(vessel, vessels));
        }),
      );
      await Promise.all([arriving, showDay(read(dayShown))]);
    },
    async plan(plan) {
      const planned = await office.plan(plan);
      atomic(() => {
        dispatch(port.ingest(visit, planned));
        dispatch(visitPicked(planned.id));
      });
    },
    async moveOn(id) {
      const { phase, arrives, departs } = await office.moveOn(id);
      dispatch(visitMovedOn({ id, phase, at: phase === 'departed' ? (departs ?? arrives) : arrives }));
    },
    async rename(hull, name) {
      dispatch(port.ingest(vessel, await office.rename(hull, name)));
    },
  };
}
