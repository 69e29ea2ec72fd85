// The rules of the simulated stores, on plain data.
import { nameOf, type Blueprint } from '../application.js';
import { same, type States } from './plain.js';

/** Whether a store that changed breaks its rule. */
export function isBroken(blueprint: Blueprint, before: States, after: States): boolean {
  return blueprint.stores.some(({ rule, kind }, i) => {
    if (kind !== 'tide') return false;
    // A copy has the rules of its original.
    return [nameOf(blueprint, i), `copy${i}`].some((name) => {
      const state = after[name];
      if (!Object.hasOwn(after, name) || same(before[name], state)) return false;
      return rule === 'even' ? state.n % 2 !== 0 : rule === 'throwing' ? state.n === 4 : false;
    });
  });
}
