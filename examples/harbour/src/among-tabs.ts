// What one tab of the control room does for, and because of, the others.
import type { Runtime } from 'floe';
import type { Persistence } from 'floe/persist';
import type { Trace } from 'floe/trace';
import { dayShown, loadDay, sendUnsent, waiting } from './model/index.js';

type Room = Runtime & { readonly persistence: Persistence; readonly trace: Trace };

/** What is unsent is sent from one tab of this browser, the one that writes: otherwise each would send it. */
export function sendWhereWritten(runtime: Room): void {
  const look = (): void => {
    const { tab } = runtime.persistence;
    const isHere = tab === 'leading' || tab === 'alone';
    if (isHere && runtime.read(waiting) > 0 && runtime.read(sendUnsent.status).phase !== 'running')
      void runtime.run(sendUnsent());
  };
  look();
  runtime.watch(waiting, look);
  runtime.persistence.watch(look);
}

/** The actions of other tabs begin no task here: the day that they show is loaded here as well. */
export function loadWhatOthersShow(runtime: Room): void {
  runtime.watch(dayShown, (day) => {
    if (runtime.trace.steps.at(-1)?.cause.by === 'tab') void runtime.run(loadDay(day));
  });
}
