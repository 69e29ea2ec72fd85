// The runs that are under way, by task and concurrency group, and how many there are under each status key.
import { DEV } from '../../base/mode.js';
import type { RunHost } from './run-host.js';
import type { Running } from '../../kernel/hooks.js';
import { successorOf } from '../../kernel/reload.js';
import type { Cause } from '../../kernel/transition.js';
import type { TaskDefinition } from './definition.js';
import type { TaskRun } from './run.js';

/** The runs of one task. */
export interface RunsOfTask {
  readonly groups: Map<string, ConcurrencyGroup>;
  running: number;
  /** How many run, by status key. */
  readonly busy: Map<string, number>;
  /** The status keys of which none runs, in the order in which they ended. */
  readonly ended: Set<string>;
  /** Goes on through `ended`: a new look for the first one would go past all that were taken out. */
  readonly oldest: Iterator<string, undefined>;
}

/** Runs that overlap, by `overlapBy`. */
export interface ConcurrencyGroup {
  readonly running: Set<TaskRun>;
  readonly queue: { readonly run: TaskRun; readonly cause: Cause }[];
}

export class TaskRuns {
  private readonly tasks = new Map<TaskDefinition, RunsOfTask>();

  constructor(private readonly host: RunHost) {}

  /** The tasks that have run. */
  get definitions(): Iterable<TaskDefinition> {
    return this.tasks.keys();
  }

  of(task: TaskDefinition): RunsOfTask {
    let ofTask = this.tasks.get(task) ?? (DEV ? runsBefore(this.host, this.tasks, task) : undefined);
    if (!ofTask) {
      const ended = new Set<string>();
      ofTask = { groups: new Map(), running: 0, busy: new Map(), ended, oldest: ended.values() };
    }
    this.tasks.set(task, ofTask);
    return ofTask;
  }

  *underWay(): Iterable<TaskRun> {
    for (const { groups } of this.tasks.values())
      for (const { running, queue } of groups.values()) {
        for (const { run } of [...queue]) yield run;
        yield* [...running];
      }
  }

  /** How many runs of a task are under way, and how many under each status key. */
  running(statuses: string): Running | undefined {
    for (const [task, { running, busy }] of this.tasks)
      if (task.statuses.name === statuses) return { count: running, keys: busy };
    return undefined;
  }
}

/** Development only: runs of the task whose module was reloaded since are runs of this one. */
function runsBefore(
  { kernel }: RunHost,
  tasks: Map<TaskDefinition, RunsOfTask>,
  { name, store }: TaskDefinition,
): RunsOfTask | undefined {
  for (const [known, ofTask] of tasks) {
    if (known.name !== name) continue;
    const isReloaded = known.store && store ? successorOf(kernel, known.store) === store : known.store === store;
    if (!isReloaded) continue;
    // A run that is under way still asks for them by its own definition.
    if (ofTask.running === 0) tasks.delete(known);
    return ofTask;
  }
  return undefined;
}

/** Counts one run more under a status key. */
export function countBegin(ofTask: RunsOfTask, key: string): void {
  ofTask.running++;
  if (key === '') return;
  ofTask.busy.set(key, (ofTask.busy.get(key) ?? 0) + 1);
  ofTask.ended.delete(key);
}

/** Counts one run less under a status key. Returns the key whose status there is no more room for. */
export function countEnd(ofTask: RunsOfTask, key: string, keep: number): string | undefined {
  ofTask.running--;
  if (key === '') return undefined;
  const { busy, ended, oldest } = ofTask;
  const left = busy.get(key)! - 1;
  if (left > 0) {
    busy.set(key, left);
    return undefined;
  }
  busy.delete(key);
  ended.add(key);
  if (ended.size <= keep) return undefined;
  const { value: forgotten } = oldest.next();
  ended.delete(forgotten!);
  return forgotten;
}
