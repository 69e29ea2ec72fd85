// A queue of writes that survives being offline, and a reload: notes are sent one after the other, in their order. While
// the office cannot be reached they wait; one that it refuses is set aside with its reason, and the others go on.
import { store, task } from 'floe';
import { Conflict, inTime, office, textIn } from './office.js';

export const outbox = store('outbox', {
  waiting: [] as string[],
  refused: [] as { note: string; reason: string }[],
  online: true,
}).persisted({ only: ['waiting', 'refused'] });

export const noteQueued = outbox.action('queued', (draft, note: string) => {
  draft.waiting.push(note);
});
export const noteSent = outbox.action('sent', (draft) => {
  draft.waiting.shift();
  draft.online = true;
});
export const noteRefused = outbox.action('refused', (draft, reason: string) => {
  draft.refused.push({ note: draft.waiting.shift()!, reason });
  draft.online = true;
});
export const officeLost = outbox.action('officeLost', (draft) => {
  draft.online = false;
});

export const sendNotes = task(
  outbox,
  'send',
  async ({ dispatch, read, use, next, sleep }) => {
    const desk = use(office);
    for (let pause = 1000; ;) {
      const [note] = read(outbox).waiting;
      if (note === undefined) {
        await next(noteQueued);
        continue;
      }
      try {
        textIn(await inTime(sleep, desk.send(note)), 'received');
        dispatch(noteSent());
        pause = 1000;
      } catch (error) {
        if (error instanceof Conflict) dispatch(noteRefused(error.message));
        else {
          dispatch(officeLost());
          await sleep(pause);
          pause = Math.min(pause * 2, 60_000);
        }
      }
    }
  },
  { atStart: true },
);
