// A queue that pilots and the watch officer put into order: shown at once, confirmed or refused later, and undone.
import { need, selector, store, task } from 'floe';

export interface Job {
  readonly id: string;
  readonly vessel: string;
  readonly from: string;
  readonly to: string;
  /** It must be among the first so many. */
  readonly place?: number;
}
export interface Office {
  /** @throws where a job cannot come to that line */
  move(job: Job, to: number): Promise<void>;
}
export const office = need<Office>('office');

const jobs: Job[] = [
  { id: 'j1', vessel: 'Far Lodestar', from: 'sea', to: 'N1' },
  { id: 'j2', vessel: 'Marram', from: 'S1', to: 'sea', place: 3 },
  { id: 'j3', vessel: 'Corran Bell', from: 'sea', to: 'N2' },
  { id: 'j4', vessel: 'Pale Anchorite', from: 'anchorage', to: 'S1' },
  { id: 'j5', vessel: 'Hester Wynd', from: 'sea', to: 'N1', place: 6 },
  { id: 'j6', vessel: 'Skua Light', from: 'S2', to: 'fuel quay' },
  { id: 'j7', vessel: 'Ostrel', from: 'N3', to: 'sea' },
];

export interface Move {
  readonly id: string;
  /** The line that it comes to, counted from 0. */
  readonly to: number;
}

export const queue = store('queue', { jobs, notice: '' });
export const jobMoved = queue.action(
  'jobMoved',
  (draft, { id, to }: Move) => {
    const from = draft.jobs.findIndex((job) => job.id === id);
    const [job] = draft.jobs.splice(from, 1);
    draft.jobs.splice(to, 0, job);
  },
  {
    about: {
      title: ({ id, to }, before) =>
        `moved ${before(queue).jobs.find((job) => job.id === id)?.vessel} to line ${to + 1}`,
    },
  },
);
export const orderRefused = queue.action('orderRefused', (draft, reason: string) => {
  draft.notice = reason;
});
export const noticeDismissed = queue.action('noticeDismissed', (draft) => {
  draft.notice = '';
});

/** What was moved, from where: the last one first. Refused moves never stand here. */
export const moves = store('moves', { done: [] as readonly (Move & { readonly from: number })[] });
export const moveDone = moves.action('done', ({ done }, move: Move & { from: number }) => ({ done: [move, ...done] }));
export const moveUndone = moves.action('undone', ({ done: [, ...done] }) => ({ done }));

export const stores = [queue, moves];

export const lineOf = queue.selector('lineOf', ({ jobs }, id: string) => jobs.findIndex((job) => job.id === id));

/** The move that an undo reverts. */
export const lastMove = moves.selector('lastMove', ({ done }) => done.at(0));

/**
 * Moves a job; an undo is a move back. The list shows it at once. Where the office refuses, the run fails, and Floe takes this one move
 * back: the moves after it stay, computed again without it.
 */
export const move = task(
  queue,
  'move',
  async ({ optimistic, dispatch, read, use }, { id, to }: Move, isUndo = false) => {
    const server = use(office);
    const from = read(lineOf(id));
    const job = read(queue).jobs[from];
    if (from === to) return;
    optimistic(jobMoved({ id, to }));
    optimistic(isUndo ? moveUndone() : moveDone({ id, to, from }));
    try {
      await server.move(job, to);
    } catch (error) {
      dispatch(orderRefused((error as Error).message));
      throw error;
    }
  },
  { overlapBy: ({ id }) => id },
);

/** Whether the office has not answered yet where a job may stand. */
export const isAsked = selector(
  'isAsked',
  (read, id: string) => read(move.statusOf({ id, to: 0 })).phase === 'running',
);
