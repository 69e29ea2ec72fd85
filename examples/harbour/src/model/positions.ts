// Where the vessels are. Positions arrive every few seconds and would bury everything else: the trace counts them only.
import { store, task } from 'floe';
import { office } from './office.js';
import type { Position } from './types.js';

export const positions = store('positions', { byHull: {} as Record<string, Position> });

export const positionsArrived = positions.action('arrived', (draft, list: readonly Position[]) => {
  for (const position of list) draft.byHull[position.hull] = position;
});

/** Its status says why the newest positions are missing, when they are. */
export const askPositions = task(positions, 'ask', async ({ dispatch, use, signal }) => {
  dispatch(positionsArrived(await use(office).positions({ signal })));
});

export const followPositions = task(
  positions,
  'follow',
  async ({ run, sleep }) => {
    for (;;) {
      await run(askPositions()).catch(() => undefined);
      await sleep(3000);
    }
  },
  { overlap: 'ignore', about: { title: 'follow the vessels' } },
);

export const positionOf = positions.selector('of', (state, hull: string): Position | undefined => state.byHull[hull]);
