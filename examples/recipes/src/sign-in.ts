// Signing in: reads what is stored, asks the office, and shows a notice. Whatever goes wrong, the officer is told and
// no officer is signed in; a badge that the office refuses is forgotten.
import { store, task } from 'floe';
import { showNotice } from './notice.js';
import { Conflict, inTime, office, textIn } from './office.js';

/** The badge outlives the session; the name is asked for again. */
export const officer = store('officer', { badge: null as string | null, name: null as string | null }).persisted({
  only: ['badge'],
});

export const badgeShown = officer.action('badgeShown', (draft, badge: string) => {
  draft.badge = badge;
});
export const signedIn = officer.action('signedIn', (draft, name: string) => {
  draft.name = name;
});
export const badgeRefused = officer.action('badgeRefused', (draft) => {
  draft.badge = null;
  draft.name = null;
});

export const signIn = task(
  officer,
  'signIn',
  async ({ dispatch, read, run, use, sleep }) => {
    const { badge } = read(officer);
    if (badge === null) return;
    const desk = use(office);
    try {
      const name = textIn(await inTime(sleep, desk.signIn(badge)), 'name');
      dispatch(signedIn(name));
      void run(showNotice(`Good watch, ${name}.`));
    } catch (error) {
      if (error instanceof Conflict) dispatch(badgeRefused());
      void run(showNotice((error as Error).message));
      throw error;
    }
  },
  // When the page opens and a badge is stored, and whenever one is shown.
  { atStart: true, when: badgeShown, overlap: 'replace' },
);
