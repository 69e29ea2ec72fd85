// Polling: positions every four seconds. One that fails is noted, and the next is asked for nevertheless.
import { store, task } from 'floe';
import { recording } from 'floe/trace';
import { inTime, office, positionsIn, type Position } from './office.js';

export const positions = store('positions', { byHull: {} as Record<string, Position>, problem: null as string | null });

export const positionsArrived = positions.action('arrived', (draft, list: Position[]) => {
  for (const position of list) draft.byHull[position.hull] = position;
  draft.problem = null;
});

export const positionsMissed = positions.action('missed', (draft, problem: string) => {
  draft.problem = problem;
});

export const followPositions = task(
  positions,
  'follow',
  async ({ dispatch, use, signal, sleep }) => {
    const desk = use(office);
    for (;;) {
      try {
        dispatch(positionsArrived(positionsIn(await inTime(sleep, desk.positions({ signal })))));
      } catch (error) {
        if (signal.aborted) throw error;
        dispatch(positionsMissed((error as Error).message));
      }
      await sleep(4000);
    }
  },
  { overlap: 'ignore' },
);

/** They would bury everything else: they count in the trace, and are not listed. */
export const quietTrace = () => recording({ ignore: [positionsArrived] });
