import type { Job, Office } from './model';

/** Stands in for a server: it takes a second, and refuses that a vessel misses its tide. */
export const localOffice: Office = {
  async move({ vessel, place }: Job, to: number) {
    await new Promise((answer) => setTimeout(answer, 1000));
    if (place !== undefined && to >= place)
      throw new Error(`${vessel} must be among the first ${place}: the tide falls.`);
  },
};
