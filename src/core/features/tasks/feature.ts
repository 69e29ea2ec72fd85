// Runs tasks in a runtime: what runs of tasks do to it, and what it does to them.
import { checkAction, type AnyAction } from '../../model/action.js';
import { asyncInAtomic, needMissing } from '../../base/errors.js';
import { FEATURE } from '../../base/protocol.js';
import type { Feature, Extensible } from '../../kernel/feature.js';
import type { Applying, Hooks, Running, SettleHow } from '../../kernel/hooks.js';
import type { DeclaredTask } from '../../model/triggers.js';
import { DEV } from '../../base/mode.js';
import { guardData } from '../../data/guard.js';
import { successorOf } from '../../kernel/reload.js';
import { byCode, byDispatcher } from '../../kernel/pipeline.js';
import { noteFact } from '../../kernel/stating.js';
import { STILL } from '../../kernel/options.js';
import type { DispatchResult } from '../../model/action.js';
import type { Cause, FactName, RunNote, Transition } from '../../kernel/transition.js';
import { rebasing } from '../rebasing/feature.js';
import type { PendingAction } from '../rebasing/pending.js';
import { callOf, TaskDefinition, type Call } from './definition.js';
import { firstOf, type Need } from './need.js';
import type { TaskRun } from './run.js';
import type { RunHost } from './run-host.js';
import { Runs } from './runs.js';
import type { Statuses } from './statuses.js';
import type { Optimistic, Run } from './types.js';

/** What a runtime installs with the first task that it meets. */
export const tasks: Feature<Tasks> = { name: 'tasks', [FEATURE]: true, install: (kernel) => new Tasks(kernel) };

const NO_TASKS: readonly TaskDefinition[] = [];

export class Tasks implements Hooks, RunHost {
  /** Tools look at them. */
  readonly runs = new Runs(this);
  private readonly needs = new Map<Need<never>, unknown>();
  /** No task starts by itself. */
  private readonly still: boolean;

  constructor(readonly kernel: Extensible) {
    const { needs = [], [STILL]: still } = kernel.options;
    for (const { need, value } of needs) this.needs.set(need as Need<never>, value);
    this.still = still !== undefined && still !== false;
  }

  // ---- what happens in the runtime ----

  after(action: AnyAction, started: readonly DeclaredTask[], transition: Transition | undefined): void {
    this.runs.applied(action, this.still || started.length === 0 ? NO_TASKS : definitionsOf(started), transition);
  }

  awaits(type: string): boolean {
    return this.runs.listeners.has(type);
  }

  begin(started: readonly DeclaredTask[]): void {
    if (!this.still) this.kernel.later(() => this.runs.starts.atStart(definitionsOf(started)));
  }

  /** Tasks that live as long as the runtime, and whose runs ended with the line that was left, begin again. */
  idle(): void {
    const { starts } = this.runs;
    if (starts.toRestart.size > 0 && !this.kernel.isClosed) this.kernel.later(() => starts.restart());
  }

  leave(stays: (transition: Transition) => boolean, reason: 'branch' | 'import'): void {
    this.runs.leave(stays, reason);
  }

  running(statuses: string): Running | undefined {
    return this.runs.tasks.running(statuses);
  }

  get tasks(): Iterable<DeclaredTask> {
    return this.runs.tasks.definitions;
  }

  close(): void {
    this.runs.close();
  }

  // ---- what the application runs ----

  run(given: unknown): Run<unknown> {
    const { kernel } = this;
    const call = this.renewed(callOf(given));
    this.mayRun(call.task.name);
    if (kernel.features.isMoving) return this.runs.neverStarted(call, 'travel');
    return kernel.notifications.call(() => this.runs.start(call, this.beginWork()));
  }

  /** The application begins work: where the past is shown, a branch begins there, unless watchers are notified. */
  private beginWork(): Cause {
    const { kernel } = this;
    if (!kernel.notifications.isNotifying) kernel.features.leavePast();
    return kernel.interceptors.deciding ? byDispatcher(kernel) : byCode(kernel);
  }

  /** The call of the task that a reloaded module declares in the place of an older one. */
  private renewed(call: Call): Call {
    const { store, name } = call.task;
    const task = DEV && store && successorOf(this.kernel, store)?.tasks.find((one) => one.name === name);
    return task ? { task: definitionsOf([task])[0], args: call.args } : call;
  }

  // ---- what runs do ----

  mayRun(task: string): void {
    this.kernel.open('run');
    this.kernel.forbidInside(`run of '${task}'`);
    if (this.kernel.transactions.current) throw asyncInAtomic(`running '${task}'`);
  }

  dispatchBy(run: TaskRun, action: AnyAction, optimistic?: Applying['optimistic']): DispatchResult {
    checkAction(action);
    const stopped = (): string | undefined => {
      const { phase, reason } = run;
      // Nothing would revert an optimistic action that is applied after its run has failed.
      const why = reason ?? (optimistic && phase === 'failed' ? phase : undefined);
      return why === undefined ? undefined : `its run is over: ${why}`;
    };
    return this.dispatchLive(action, run.cause, { stopped, optimistic, ...(optimistic && { feature: rebasing }) });
  }

  /** Dispatches at the live end; queued while watchers are notified, stopped where `by` says so. */
  private dispatchLive(action: AnyAction, cause: Cause, by: Applying): DispatchResult {
    const { kernel } = this;
    const go = (): DispatchResult =>
      kernel.views.atLive(() => {
        const why = kernel.isClosed ? 'its run is over: closed' : by.stopped?.();
        if (why === undefined) return kernel.intercept(action, cause, by);
        kernel.recorder?.unchanged({ action, cause, outcome: 'stopped', reason: why });
        return 'stopped';
      });
    if (kernel.isClosed || by.stopped?.() !== undefined) return go();
    kernel.forbidInside('dispatch');
    // Inside of a transaction of the application it is part of that.
    if (kernel.transactions.current) kernel.features.leavePast();
    return kernel.notifications.isNotifying ? kernel.notifications.enqueue(action, go) : kernel.notifications.call(go);
  }

  atomicBy<T>(run: TaskRun, fn: () => T): T {
    const { kernel } = this;
    // What a run does after its end is stopped, action by action.
    return kernel.isClosed || run.reason !== undefined
      ? fn()
      : kernel.views.atLive(() => kernel.transactions.atomic(fn));
  }

  settleAll(entries: readonly PendingAction[], how: SettleHow, by: Cause): void {
    const { kernel } = this;
    if (how === 'reverted') kernel.features.use(rebasing).revert(entries, by);
    else for (const entry of entries) kernel.features.use(rebasing).confirm(entry, by);
  }

  optimisticBy(run: TaskRun, action: AnyAction): Optimistic {
    let entry: PendingAction | undefined;
    let settled: { readonly how: SettleHow; readonly action: AnyAction | undefined } | undefined;
    const cause: Cause = { by: 'task', run: run.id };
    const settleNow = (one: PendingAction, { how, action: replacement }: NonNullable<typeof settled>): void => {
      run.open?.delete(one);
      if (!replacement) return this.settleAll([one], how, cause);
      this.kernel.features.use(rebasing).confirm(one, cause, replacement, () => {
        // What was to take its place throws, maybe only when the transaction is over: it is open again.
        settled = undefined;
        if (run.ended) this.settleAll([one], 'reverted', cause);
        else (run.open ??= new Set()).add(one);
      });
    };
    const settle = (how: SettleHow, replacement?: AnyAction): void => {
      if (settled) return;
      this.kernel.forbidInside(how === 'confirmed' ? 'confirm' : 'revert');
      if (replacement) checkAction(replacement);
      settled = { how, action: replacement };
      // Not there yet: an interceptor holds it, and it is settled as soon as it is applied.
      if (!entry) return;
      if (entry.open) return settleNow(entry, settled);
      run.open?.delete(entry);
      // It belongs to a line that was left; what is known by now is news for the present one.
      if (replacement) this.dispatchBy(run, replacement);
    };
    const result = this.dispatchBy(run, action, {
      became: (applied) => {
        entry = applied as PendingAction;
        (run.open ??= new Set()).add(entry);
      },
      applied: () => {
        // An interceptor or the queue held it while its run ended.
        if (!settled && run.ended)
          settled = { how: run.phase === 'done' ? 'confirmed' : 'reverted', action: undefined };
        if (settled && entry) settleNow(entry, settled);
      },
    });
    return {
      result,
      confirm: (replacement) => settle('confirmed', replacement),
      revert: () => settle('reverted'),
    };
  }

  dependencyOf(need: Need<unknown>, task: string): unknown {
    const given = DEV && !this.needs.has(need) ? firstOf(need)! : need;
    if (!this.needs.has(given)) throw needMissing(need.name, task);
    return this.needs.get(given);
  }

  noteRun(
    { name, statuses }: Pick<TaskDefinition, 'name' | 'statuses'>,
    next: ((state: Statuses) => Statuses) | undefined,
    { fact, run, cause, reason }: { fact: FactName; run: RunNote; cause: Cause; reason?: unknown },
  ): Transition | undefined {
    const { kernel } = this;
    return kernel.views.atLive(() => {
      const cell = kernel.joining.cell(statuses);
      const before = kernel.views.stateOf(cell) as Statuses;
      const after = next ? next(before) : before;
      if (DEV && after !== before) guardData(after, { at: '', what: `The status of '${name}'` });
      const changed = after === before ? undefined : kernel.views.current.change(cell, after);
      return noteFact(kernel, changed, fact, { cause, run, ...(reason !== undefined && { reason }) });
    });
  }
}

/** Declared tasks are task definitions: nothing else names this feature. */
const definitionsOf = (declared: readonly DeclaredTask[]): TaskDefinition[] =>
  declared.filter((task) => task instanceof TaskDefinition);
