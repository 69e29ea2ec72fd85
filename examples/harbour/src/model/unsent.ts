// What the officer decided while the office could not be reached: kept in this browser, sent as soon as it can be.
import { store, task } from 'floe';
import * as v from 'valibot';
import { showNotice } from './notices.js';
import { office, Refused } from './office.js';
import { port, vessel } from './port.js';

/** A new name of a vessel that the office does not know yet. */
export interface Renaming {
  readonly hull: string;
  readonly name: string;
}

const renaming = v.object({ hull: v.string(), name: v.pipe(v.string(), v.maxLength(200)) });

export const unsent = store('unsent', { renamings: [] as Renaming[] }).persisted({
  check: v.object({ renamings: v.array(renaming) }),
});

export const renamingKept = unsent.action('renamingKept', (draft, renaming: Renaming) => {
  const known = draft.renamings.findIndex(({ hull }) => hull === renaming.hull);
  if (known < 0) draft.renamings.push(renaming);
  else draft.renamings[known] = renaming;
});
/** Sent, or refused for good. */
export const renamingSettled = unsent.action('renamingSettled', (draft, { hull, name }: Renaming) => {
  draft.renamings = draft.renamings.filter((one) => one.hull !== hull || one.name !== name);
});

export const waiting = unsent.selector('waiting', ({ renamings }) => renamings.length);

/** Milliseconds between two attempts. */
const PAUSE = 5000;

/** Sends what waits, one after the other, until nothing does. */
export const sendUnsent = task(unsent, 'send', async ({ dispatch, read, use, sleep, run }) => {
  const desk = use(office);
  for (;;) {
    const renaming = read(unsent).renamings.at(0);
    if (!renaming) return;
    try {
      dispatch(port.ingest(vessel, await desk.rename(renaming.hull, renaming.name)));
      void run(showNotice(`The office knows the name ${renaming.name} now.`));
    } catch (error) {
      if (!(error instanceof Refused)) {
        await sleep(PAUSE);
        continue;
      }
      void run(showNotice(`${renaming.name} was not taken. ${error.message}`));
    }
    dispatch(renamingSettled(renaming));
  }
});

/** Gives a vessel a new name. Where the office cannot be reached, the name is kept and sent later. */
export const renameVessel = task(port, 'rename', async ({ dispatch, use, run }, hull: string, name: string) => {
  const desk = use(office);
  try {
    dispatch(port.ingest(vessel, await desk.rename(hull, name)));
  } catch (error) {
    if (error instanceof Refused) throw error;
    dispatch(renamingKept({ hull, name }));
    void run(showNotice('The office cannot be reached. The name is kept here and sent as soon as it can be.'));
  }
});
