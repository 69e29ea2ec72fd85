// Tasks, and what was declared about them and about actions, found by name: for tools, which hold recorded steps and no creators.
import type { About } from '../model/action.js';
import { freeTasks, type DeclaredTask } from '../model/triggers.js';
import { storesOf, type Extensible } from './feature.js';

/** By the store that declared it, or else by the creator that a store handles; a task also where it has run. */
export function aboutOf(kernel: Extensible, kind: 'action' | 'task', name: string): About | undefined {
  if (kind === 'action') {
    for (const store of storesOf(kernel)) {
      const about = store.aboutOf(name);
      if (about) return about;
    }
    return undefined;
  }
  return taskNamed(kernel, name)?.options.about;
}

/** A task that has run, that belongs to no store, or that a store of the runtime has. */
export function taskNamed(kernel: Extensible, name: string): DeclaredTask | undefined {
  const known = Array.from(kernel.features, ({ tasks = [] }) => [...tasks]).flat();
  const tasks = [
    ...known,
    ...freeTasks,
    ...storesOf(kernel)
      .map((store) => store.tasks)
      .flat(),
  ];
  return tasks.find((task) => task.name === name);
}
