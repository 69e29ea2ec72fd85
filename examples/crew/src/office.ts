import type { Member, Office } from './model';

/** Stands in for a server: it takes half a second, and knows which badges are given. */
const given = new Map<string, string>([
  ['P-104', 'Isla Marrick'],
  ['T-221', 'Owen Tarn'],
]);

export const localOffice: Office = {
  async signOn({ badge, name }: Member) {
    await new Promise((answer) => setTimeout(answer, 500));
    const holder = given.get(badge);
    if (holder !== undefined) throw new Error(`The office refuses: badge ${badge} is ${holder}'s.`);
    given.set(badge, name);
  },
};
