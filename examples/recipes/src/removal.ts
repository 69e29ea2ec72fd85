// Undo after a removal: the visit is gone at once; for five seconds it can be brought back, then the office is told. What
// happened meanwhile is kept, whichever way it ends.
import { store, task } from 'floe';
import { showNotice } from './notice.js';
import { inTime, office, textIn, type Visit } from './office.js';

export const board = store('board', { visits: [] as Visit[], undo: null as string | null });

export const visitAdded = board.action('added', (draft, visit: Visit) => {
  draft.visits.push(visit);
});
export const visitRemoved = board.action('removed', (draft, id: string) => {
  draft.visits = draft.visits.filter((visit) => visit.id !== id);
});
export const undoOffered = board.action('undoOffered', (draft, id: string | null) => {
  draft.undo = id;
});
export const removalUndone = board.action('undone', (draft, _id: string) => {
  draft.undo = null;
});

export const removeVisit = task(
  board,
  'remove',
  async ({ dispatch, optimistic, each, run, use, sleep }, id: string) => {
    const desk = use(office);
    const removal = optimistic(visitRemoved(id));
    dispatch(undoOffered(id));
    const undone = async () => {
      for await (const { payload } of each(removalUndone)) if (payload === id) return true;
    };
    if (await Promise.race([sleep(5000), undone()])) return removal.revert();
    dispatch(undoOffered(null));
    try {
      textIn(await inTime(sleep, desk.remove(id)), 'removed');
      removal.confirm();
    } catch (error) {
      removal.revert();
      void run(showNotice(`The visit stays: ${(error as Error).message}`));
      throw error;
    }
  },
  { overlapBy: (id) => id, overlap: 'ignore' },
);
