// What the processes of `scripts/crash.mjs` change: every state follows from the number of changes alone.
import { store } from 'floe';

const ROWS = 12;
/** Mostly small changes, now and then one that takes a while to write. */
const textOf = (n) => `${n} `.repeat(n % 4 === 0 ? 8_000 + (n % 7) * 1_000 : 20 + (n % 50));

export const rows = store('rows', { n: 0, texts: Array.from({ length: ROWS }, () => '') }).persisted();
export const changed = rows.action('changed', (draft) => {
  draft.n++;
  draft.texts[draft.n % ROWS] = textOf(draft.n);
});

/** Whether a state is the one after so many changes. */
export const isStateAfter = ({ n, texts }) =>
  texts.length === ROWS &&
  texts.every((text, i) => {
    const last = n - ((((n - i) % ROWS) + ROWS) % ROWS);
    return text === (last > 0 ? textOf(last) : '');
  });
