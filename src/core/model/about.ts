// What was declared about an action or a task, found by its name: for tools, which hold recorded steps and no creators.
import type { About } from './action.js';
import type { StoreDefinition } from './store.js';
import { freeTasks, type DeclaredTask } from './handled.js';

/** What was declared about an action: by the store that declared it, or else by the creator that a store handles. */
export function aboutAction(type: string, stores: Iterable<StoreDefinition>): About | undefined {
  for (const store of stores) {
    const about = store.aboutOf(type);
    if (about) return about;
  }
  return undefined;
}

/** What was declared about a task: by a store's, one that handles actions, or one that has run. */
export function aboutTask(
  name: string,
  stores: Iterable<StoreDefinition>,
  known: Iterable<DeclaredTask>,
): About | undefined {
  const tasks = [...known, ...freeTasks, ...Array.from(stores, (store) => store.tasks).flat()];
  return tasks.find((task) => task.name === name)?.options.about;
}
