import { store } from 'floe';
import { shiftEnded } from './shift.js';

/** The log of the watch: what the next officer should know. It outlives a reload. */
export const log = store('log', { note: '' }).persisted({ only: ['note'] });

export const noteWritten = log.action(
  'noteWritten',
  (draft, note: string) => {
    draft.note = note;
  },
  { about: { title: 'wrote in the log' } },
);

log.when(shiftEnded, (draft) => {
  draft.note = '';
});

export const note = log.selector('note', (state) => state.note);
