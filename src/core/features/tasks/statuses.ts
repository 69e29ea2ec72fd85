// The state that holds the statuses of one task, in a store of its own, which no snapshot has.
import { StoreDefinition } from '../../model/store.js';
import type { TaskStatus } from './types.js';

export const IDLE: TaskStatus = { phase: 'idle', runs: 0, startedAt: null, endedAt: null, error: null };

/** The state that holds the statuses of one task: of all runs, and by arguments. */
export interface Statuses {
  readonly all: TaskStatus;
  readonly by: Readonly<Record<string, TaskStatus>>;
}

const NONE: Statuses = { all: IDLE, by: {} };
export const SUFFIX = '.status';
/** The name of the task whose statuses are under a name. */
export const taskOfStatuses = (name: string): string => name.slice(0, -SUFFIX.length);
/** Whether a state is that of a task's statuses: the names of stores have no dot. A damaged file may have another one there. */
export const isStatuses = (name: string, state: unknown): state is Statuses => {
  const { all, by } = (state ?? {}) as Partial<Statuses>;
  return name.endsWith(SUFFIX) && isStatus(all) && isStatus(by) && Object.values(by).every(isStatus);
};
const isStatus = (value: unknown): value is object => typeof value === 'object' && value !== null;
/** Holds the statuses of a task that was not declared yet. */
export const statusesNamed = (name: string): StoreDefinition => new StoreDefinition(name, NONE, undefined, true);
