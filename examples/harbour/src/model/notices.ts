// What the officer is told in passing: a text that shows itself for some seconds.
import { store, task } from 'floe';
import { shiftEnded } from './shift.js';

export const notices = store('notices', { text: null as string | null });

export const noticeShown = notices.action(
  'shown',
  (draft, text: string) => {
    draft.text = text;
  },
  { about: { title: (text) => `showed the notice “${text}”` } },
);

export const noticeDismissed = notices.action(
  'dismissed',
  (draft) => {
    draft.text = null;
  },
  { about: { title: 'dismissed the notice' } },
);

notices.when(shiftEnded, (draft) => {
  draft.text = null;
});

export const showNotice = task(
  notices,
  'show',
  async ({ dispatch, sleep, next }, text: string) => {
    dispatch(noticeShown(text));
    const gone = await Promise.race([sleep(5000), next([noticeDismissed, shiftEnded])]);
    if (!gone) dispatch(noticeDismissed());
  },
  { overlap: 'replace', about: { title: 'show a notice' } },
);

export const notice = notices.selector('notice', (state) => state.text);
