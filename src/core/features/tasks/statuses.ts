// The state that holds the statuses of one task, in a store of its own, which no snapshot has.
import { StoreDefinition } from '../../model/store.js';
import type { TaskStatus } from './types.js';

export const IDLE: TaskStatus = { phase: 'idle', runs: 0, startedAt: null, endedAt: null, error: null };

/** The state that holds the statuses of one task: of all runs, and by arguments. */
export interface Statuses {
  readonly all: TaskStatus;
  /** By key, the first ones. */
  readonly by: Readonly<Record<string, TaskStatus>>;
  /** The others, in lists by what their keys come to: a change copies all that stand beside it. */
  readonly more?: readonly (readonly (readonly [key: string, status: TaskStatus])[])[];
}

const FEW = 32;
const LISTS = 64;

function listOf(key: string): number {
  let sum = 0;
  for (let i = 0; i < key.length; i++) sum = (sum * 31 + key.charCodeAt(i)) | 0;
  return sum & (LISTS - 1);
}

export function statusIn({ by, more }: Statuses, key: string): TaskStatus | undefined {
  if (by[key] !== undefined || !more) return by[key];
  return more[listOf(key)].find((one) => one[0] === key)?.[1];
}

/** @param status none takes it out @param all of all runs, from now on */
export function withStatus(
  { by, more, all: before }: Statuses,
  key: string,
  status: TaskStatus | undefined,
  all = before,
): Statuses {
  if (by[key] !== undefined || (!more && Object.keys(by).length < FEW)) {
    const next = { ...by };
    if (status) next[key] = status;
    else delete next[key];
    return more ? { all, by: next, more } : { all, by: next };
  }
  const lists = more ? [...more] : Array.from({ length: LISTS }, () => []);
  const at = listOf(key);
  const list = [...lists[at]];
  const place = list.findIndex((one) => one[0] === key);
  if (!status) list.splice(place, place < 0 ? 0 : 1);
  else list[place < 0 ? list.length : place] = [key, status];
  lists[at] = list;
  return { all, by, more: lists };
}

export function* statusEntries({ by, more = [] }: Statuses): Iterable<readonly [key: string, status: TaskStatus]> {
  yield* Object.entries(by);
  for (const list of more) yield* list;
}

const NONE: Statuses = { all: IDLE, by: {} };
export const SUFFIX = '.status';
/** The name of the task whose statuses are under a name. */
export const taskOfStatuses = (name: string): string => name.slice(0, -SUFFIX.length);
/** Whether a state is that of a task's statuses: the names of stores have no dot. A damaged file may have another one there. */
export const isStatuses = (name: string, state: unknown): state is Statuses => {
  const { all, by, more = [] } = (state ?? {}) as Partial<Statuses>;
  return (
    name.endsWith(SUFFIX) && isStatus(all) && isStatus(by) && Object.values(by).every(isStatus) && Array.isArray(more)
  );
};
const isStatus = (value: unknown): value is object => typeof value === 'object' && value !== null;
/** Holds the statuses of a task that was not declared yet. */
export const statusesNamed = (name: string): StoreDefinition => new StoreDefinition(name, NONE, undefined, true);
