// Search as you type: asks when the typing pauses, and an old response never takes the place of a newer one.
import { store, task } from 'floe';
import { inTime, office, visitsIn, type Visit } from './office.js';

export const search = store('search', { text: '', found: [] as Visit[] });

export const textTyped = search.action('typed', (draft, text: string) => {
  draft.text = text;
});

export const visitsFound = search.action('found', (draft, found: Visit[]) => {
  draft.found = found;
});

export const lookUp = task(
  search,
  'lookUp',
  async ({ dispatch, use, signal, sleep }, text: string) => {
    // Whoever goes on typing replaces this run here.
    await sleep(300);
    const response = text.trim() === '' ? [] : await inTime(sleep, use(office).find(text, { signal }));
    dispatch(visitsFound(visitsIn(response)));
  },
  { when: textTyped, overlap: 'replace' },
);
