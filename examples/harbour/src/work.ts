// The work of the control room that takes time: it asks the office, then says what happened.
import type { Runtime } from 'floe';
import {
  dayPicked,
  dayShown,
  loadingFailed,
  portArrived,
  visitMovedOn,
  visitPlanned,
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
}

export function workWith({ dispatch, read }: Pick<Runtime, 'dispatch' | 'read'>, office: Office): Work {
  const showDay = async (day: string): Promise<void> => {
    dispatch(dayPicked(day));
    try {
      dispatch(visitsArrived({ day, list: await office.visits(day) }));
    } catch (error) {
      dispatch(loadingFailed({ day, problem: error instanceof Error ? error.message : String(error) }));
    }
  };
  return {
    showDay,
    async open() {
      const arriving = office.port().then((port) => void dispatch(portArrived(port)));
      await Promise.all([arriving, showDay(read(dayShown))]);
    },
    async plan(plan) {
      dispatch(visitPlanned(await office.plan(plan)));
    },
    async moveOn(id) {
      const { phase, arrives, departs } = await office.moveOn(id);
      dispatch(visitMovedOn({ id, phase, at: phase === 'departed' ? (departs ?? arrives) : arrives }));
    },
  };
}
