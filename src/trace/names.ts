import type { AnyCreator, AnyTask } from '../core/index.js';

/** The types of actions and the names of tasks that an option names, by creator, by task or by name. */
export const namesOf = (given: readonly (AnyCreator | AnyTask | string)[]): ReadonlySet<string> =>
  new Set(given.map((one) => (typeof one === 'string' ? one : 'definition' in one ? one.definition.name : one.type)));
