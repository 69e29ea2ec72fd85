// A message that shows itself for three seconds, and can be dismissed before. A newer one takes its place.
import { store, task } from 'floe';

export const notices = store('notices', { text: null as string | null });

export const noticeShown = notices.action('shown', (draft, text: string) => {
  draft.text = text;
});
export const noticeDismissed = notices.action('dismissed', (draft) => {
  draft.text = null;
});

export const showNotice = task(
  notices,
  'show',
  async ({ dispatch, sleep, next }, text: string) => {
    dispatch(noticeShown(text));
    const gone = await Promise.race([sleep(3000), next(noticeDismissed)]);
    if (!gone) dispatch(noticeDismissed());
  },
  { overlap: 'replace' },
);
