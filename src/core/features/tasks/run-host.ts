// What the runs of tasks need of the runtime.
import type { AnyAction } from '../../model/action.js';
import type { PendingAction } from '../rebasing/pending.js';
import type { DispatchResult } from '../../model/action.js';
import type { Extensible } from '../../kernel/feature.js';
import type { SettleHow } from '../../kernel/hooks.js';
import type { Cause, FactName, RunNote, Transition } from '../../kernel/transition.js';
import type { TaskDefinition } from './definition.js';
import type { Need } from './need.js';
import type { TaskRun } from './run.js';
import type { Statuses } from './statuses.js';
import type { Optimistic } from './types.js';

/** What runs need of the runtime. Everything happens on the live view. */
export interface RunHost {
  readonly kernel: Extensible;
  /** Throws where no task can be run: in a handler, in a selector, inside `atomic`, after the end. */
  mayRun(task: string): void;
  dispatchBy(run: TaskRun, action: AnyAction): DispatchResult;
  atomicBy<T>(run: TaskRun, fn: () => T): T;
  optimisticBy(run: TaskRun, action: AnyAction): Optimistic;
  /** Confirms or reverts what a run leaves. */
  settleAll(entries: readonly PendingAction[], how: SettleHow, by: Cause): void;
  dependencyOf(need: Need<unknown>, task: string): unknown;
  /** Notes a step of a run, and changes the status of its task. */
  noteRun(
    task: Pick<TaskDefinition, 'name' | 'statuses'>,
    next: ((state: Statuses) => Statuses) | undefined,
    what: { fact: FactName; run: RunNote; cause: Cause; reason?: unknown },
  ): Transition | undefined;
}
