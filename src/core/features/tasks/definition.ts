// The inside of a task. It holds no state; `runs.ts` brings it to life in a runtime.
import { notATaskCall } from '../../base/errors.js';
import type { Feature } from '../../kernel/feature.js';
import type { DeclaredTask } from '../../model/triggers.js';
import { argumentKey, makeSelector, type Selector, type Source } from '../../model/source.js';
import type { StoreDefinition } from '../../model/store.js';
import { IDLE, SUFFIX, statusesNamed, statusIn, type Statuses } from './statuses.js';
import type { TaskOptions, TaskStatus, Work } from './types.js';

/** The inside of a task. */
export class TaskDefinition implements DeclaredTask {
  /** Holds its status in every runtime. */
  readonly statuses: StoreDefinition;
  readonly status: Source<TaskStatus>;
  readonly statusOf: (...args: unknown[]) => Source<TaskStatus>;

  readonly work: Work<never[], unknown>;
  readonly store: StoreDefinition | undefined;
  readonly feature: Feature;

  constructor(
    readonly name: string,
    { work, store, feature }: Pick<TaskDefinition, 'work' | 'store' | 'feature'>,
    readonly options: TaskOptions<never[]>,
  ) {
    this.work = work;
    this.store = store;
    this.feature = feature;
    this.statuses = statusesNamed(name + SUFFIX);
    this.status = makeSelector(`${name}.status`, this.statuses, (state: Statuses) => state.all) as Source<TaskStatus>;
    const byKey = makeSelector(`${name}.statusOf`, this.statuses, (state: Statuses, key: string) =>
      key === '' ? state.all : (statusIn(state, key) ?? IDLE),
    ) as Selector<TaskStatus, [key: string]>;
    this.statusOf = (...args) => byKey(this.statusKey(args));
  }

  /** Runs with one key overlap. */
  groupKey(args: readonly unknown[]): string {
    const { overlapBy, overlap } = this.options;
    return overlapBy || overlap === 'share' ? this.statusKey(args) : '';
  }

  /** Runs with one key share a status; no key where there is but one. */
  statusKey(args: readonly unknown[]): string {
    const { overlapBy } = this.options;
    const by = overlapBy ? [overlapBy(...(args as never[]))] : args;
    return by.length === 0 ? '' : argumentKey(this.name, by);
  }
}

/** A call of a task, inside. */
export interface Call {
  readonly task: TaskDefinition;
  readonly args: readonly unknown[];
}

/** The call that was handed to `run`. @throws FLOE_NOT_A_TASK_CALL */
export function callOf(given: unknown): Call {
  const { task } = (given ?? {}) as Partial<Call>;
  if (!(task instanceof TaskDefinition)) throw notATaskCall(given);
  return given as Call;
}
