// Where the vessels are. Positions arrive every few seconds and would bury everything else: the trace counts them only.
import { store } from 'floe';
import { office } from './office.js';
import type { Position } from './types.js';

export const positions = store('positions', {
  byHull: {} as Record<string, Position>,
  /** Why the newest positions are missing. */
  problem: null as string | null,
});

export const positionsArrived = positions.action('arrived', (draft, list: readonly Position[]) => {
  for (const position of list) draft.byHull[position.hull] = position;
  draft.problem = null;
});

export const positionsMissed = positions.action('missed', (draft, problem: string) => {
  draft.problem = problem;
});

export const followPositions = positions.task(
  'follow',
  async ({ dispatch, use, signal, sleep }) => {
    const desk = use(office);
    for (;;) {
      try {
        dispatch(positionsArrived(await desk.positions({ signal })));
      } catch (error) {
        if (signal.aborted) throw error;
        dispatch(positionsMissed((error as Error).message));
      }
      await sleep(3000);
    }
  },
  { overlap: 'ignore' },
);

export const positionOf = positions.selector('of', (state, hull: string): Position | undefined => state.byHull[hull]);
