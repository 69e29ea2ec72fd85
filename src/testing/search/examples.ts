// What is tried in a state.
import { badOption, definitionOf } from '../../core/internal.js';
import type { AnyAction, AnyStore, StateReader, TaskCall } from '../../core/index.js';
import type { Example } from './exploration.js';

/** Whether something is a call of a task. */
export const isCall = (value: unknown): value is TaskCall<unknown> =>
  typeof value === 'object' && value !== null && 'task' in value && 'args' in value;

/**
 * The actions and calls to try in a state.
 * @throws FLOE_BAD_OPTION where a function gives no list, or reads a selector
 */
export function* examplesIn(
  examples: readonly Example[],
  states: Readonly<Record<string, unknown>>,
): Iterable<AnyAction | TaskCall<unknown>> {
  const read = ((store: AnyStore) => {
    if (typeof store === 'function')
      throw badOption('explore', 'examples', 'reads stores, not selectors: read(visits).list.length');
    return states[definitionOf(store).name];
  }) as StateReader;
  for (const [index, example] of examples.entries()) {
    if (typeof example !== 'function') {
      yield example;
      continue;
    }
    const given: unknown = example(read);
    if (!Array.isArray(given))
      throw badOption('explore', `examples[${index}]`, 'is a function that gives a list of actions: () => [...]');
    yield* given as AnyAction[];
  }
}
