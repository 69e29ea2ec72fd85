import type { Office } from './model';

/** Stands in for a server: it answers after half a second, and refuses what is no name. */
export const localOffice: Office = {
  async plan(vessel) {
    await new Promise((answer) => setTimeout(answer, 500));
    if (!/^[A-Z]/.test(vessel)) throw new Error(`The office refuses '${vessel}': a name begins with a capital letter.`);
  },
};
