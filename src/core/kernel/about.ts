// What was declared about an action or a task, found by its name: for tools, which hold recorded steps and no creators.
import type { About } from '../model/action.js';
import { freeTasks } from '../model/triggers.js';
import { storesOf, type Extensible } from './feature.js';

/** By the store that declared it, or else by the creator that a store handles; a task also where it has run. */
export function aboutOf(kernel: Extensible, kind: 'action' | 'task', name: string): About | undefined {
  const stores = storesOf(kernel);
  if (kind === 'action') {
    for (const store of stores) {
      const about = store.aboutOf(name);
      if (about) return about;
    }
    return undefined;
  }
  const known = Array.from(kernel.features, ({ tasks = [] }) => [...tasks]).flat();
  const tasks = [...known, ...freeTasks, ...stores.map((store) => store.tasks).flat()];
  return tasks.find((task) => task.name === name)?.options.about;
}
