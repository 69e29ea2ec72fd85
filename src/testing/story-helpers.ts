// What a test of a story calls that a recorded one does not need.
import {
  hostOf,
  Rebasing,
  runsIn,
  runsUnderWay,
  taskNamed,
  type DeclaredTask,
  type Extensible,
} from '../core/internal.js';
import type { Runtime, TaskCall } from '../core/index.js';
import { noSuchTask } from './errors.js';

/** @throws FLOE_NO_SUCH_TASK */
export function taskIn(kernel: Extensible, name: string): DeclaredTask {
  const task = taskNamed(kernel, name);
  if (task) return task;
  const known = Array.from(kernel.cells.values(), ({ store }) => store.tasks).flat();
  throw noSuchTask(
    name,
    known.map((one) => one.name),
  );
}

/**
 * A call of a task by its name, for tests that are written by a tool; where a test is written by hand, the task itself is called.
 * @throws FLOE_NO_SUCH_TASK
 * @example
 * void runtime.run(taskCall(runtime, 'port.assignBerth', 'v1', 'N1'));
 */
export const taskCall = (runtime: Runtime, name: string, ...args: readonly unknown[]): TaskCall<unknown> => ({
  task: taskIn(hostOf(runtime), name),
  args,
});

/**
 * Cancels a run by its number; nothing where it is over.
 * @param run counted from 1 in the order in which runs began
 * @example
 * cancelRun(runtime, 2);
 */
export function cancelRun(runtime: Runtime, run: number): void {
  runsUnderWay(hostOf(runtime))
    .find(({ id }) => id === run)
    ?.cancel('cancelled');
}

/**
 * What is open and has nothing to wait for: optimistic actions that are neither confirmed nor reverted, and runs that no call, timer or
 * action ends. To be asked when every call has its response.
 * @example
 * expect(leftOpen(runtime)).toEqual([]);
 */
export function leftOpen(runtime: Runtime): string[] {
  const kernel = hostOf(runtime);
  return [
    ...runsIn(kernel)
      .filter(waitsForNothing)
      .map(({ task }) => `a run of '${task.name}' waits for ever`),
    ...openActions(kernel).map((type) => `'${type}' is neither confirmed nor reverted`),
  ];
}

/** Whether nothing that Floe knows of lets a run go on. */
export const waitsForNothing = ({ phase, waits, children }: ReturnType<typeof runsIn>[number]): boolean =>
  phase === 'running' && !waits?.pending.size && !children?.size;

/** The optimistic actions that are open, with what followed; nothing while none is. */
export const openLog = ({ features: { attending } }: Extensible): Rebasing['log'] =>
  attending instanceof Rebasing ? attending.log : undefined;

/** The types of the optimistic actions that are open. */
export const openActions = (kernel: Extensible): string[] =>
  (openLog(kernel)?.entries ?? []).flatMap(({ open, action }) => (open && action ? [action.type] : []));
