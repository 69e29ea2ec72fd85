// The runs of tasks in one runtime: which are under way, what overlaps, and who waits for which action.
import { milliseconds } from '../../base/host.js';
import { readLive } from '../../kernel/states.js';
import type { AnyAction } from '../../model/action.js';
import { isThenable } from '../../kernel/compute.js';
import { isShown } from '../../kernel/line.js';
import { contextOf } from './context.js';
import { guardData } from '../../data/guard.js';
import { DEV } from '../../base/mode.js';
import { TaskRun, type Called } from './run.js';
import { SharedCall } from './shared-call.js';
import { Starts } from './starts.js';
import type { RunHost } from './run-host.js';
import type { Read } from '../../model/source.js';
import type { SettleHow } from '../../kernel/hooks.js';
import { ActionListeners } from './action-listeners.js';
import { RunNotes } from './run-notes.js';
import { countBegin, countEnd, TaskRuns, type ConcurrencyGroup, type RunsOfTask } from './task-runs.js';
import type { Call, TaskDefinition } from './definition.js';
import type { TaskContext } from './types.js';
import type { Cause, Transition } from '../../kernel/transition.js';

/** The work of a run, in what features put around it. */
function workOf({ kernel }: RunHost, run: TaskRun, given: object): unknown {
  let context = given;
  let all = (): unknown => run.task.work(context as TaskContext, ...(run.args as never[]));
  for (const hooks of kernel.features) {
    if (hooks.context) context = hooks.context(run, context);
    if (!hooks.working) continue;
    const inner = all;
    all = () => hooks.working!(run.note('running'), inner);
  }
  return all();
}

function settleOpen(host: RunHost, run: TaskRun, how: SettleHow): void {
  if (!run.open) return;
  host.settleAll([...run.open], how, { by: 'task', run: run.id });
  run.open = undefined;
}

/** As many statuses of runs that have ended are kept, a task, for different arguments, where the task says nothing. */
const KEEP = 1000;

export class Runs {
  readonly tasks: TaskRuns;
  /** Runs that wait for actions. */
  readonly listeners = new ActionListeners();
  private readonly notes: RunNotes;
  /** Runs that actions and the beginning of the runtime start. */
  readonly starts: Starts;
  private count = 0;
  private readonly started = new WeakMap<TaskRun, Transition>();

  constructor(readonly host: RunHost) {
    this.tasks = new TaskRuns(host);
    this.notes = new RunNotes(host);
    this.starts = new Starts(
      ({ call, cause, isAtStart }) => void this.start(call, cause, undefined, isAtStart),
      (error) => host.kernel.problem(error),
    );
  }

  // ---- beginning ----

  start(call: Call, cause: Cause, parent?: TaskRun, isAtStart = false): TaskRun | SharedCall {
    const { task, args } = call;
    if (parent?.ended !== true) this.host.mayRun(task.name);
    if (DEV) guardData(args, { at: '', what: `What the task '${task.name}' is called with` });
    const { overlap = 'allow', unless } = task.options;
    const run = this.made(call);
    run.isAtStart = isAtStart;
    if (parent?.ended === true) {
      if (parent.phase === 'cancelled' && !parent.tellsOnce()) run.silence();
      return this.neverBegins(run, cause, 'cancelled');
    }
    const ofTask = this.tasks.of(task);
    let group = ofTask.groups.get(run.group);
    const other = group?.running.values().next().value;
    if (overlap === 'share') {
      if (other !== undefined) return this.shared(other, parent);
    } else if (parent !== undefined) {
      run.parent = parent;
      (parent.children ??= new Set()).add(run);
    }
    const own = overlap === 'share' ? this.shared(run, parent) : run;
    if (unless && this.notNeeded(run, unless, cause)) return own;
    if (other !== undefined && overlap === 'ignore') return this.neverBegins(run, cause, 'ignored');
    if (other !== undefined && overlap === 'replace') {
      // A watcher of the status may start another one meanwhile: the newest call counts.
      for (; group && group.running.size > 0; group = ofTask.groups.get(run.group))
        for (const one of [...group.running]) this.cancel(one, 'replaced');
    }
    if (!group) ofTask.groups.set(run.group, (group = { running: new Set(), queue: [] }));
    if (other !== undefined && overlap === 'queue') {
      group.queue.push({ run, cause });
      // Where the line is left before this, the call is not on it, and nothing is to begin.
      const { kernel } = this.host;
      const last = kernel.recorder?.last;
      const before = isShown(kernel, last) ? last : this.started.get(other);
      if (before) this.started.set(run, before);
    } else this.begin(run, cause, ofTask, group);
    return own;
  }

  /** One more call shares a run. */
  private shared(run: TaskRun, parent: TaskRun | undefined): SharedCall {
    return new SharedCall(run, parent, (call, reason) => {
      if (call.ended) return;
      this.host.kernel.forbidInside('cancel');
      this.host.kernel.later(() => this.cancelChild(call, reason));
    });
  }

  private made(call: Call): TaskRun {
    const { task, args } = call;
    const { kernel } = this.host;
    const look = <T>(fn: () => T): T => kernel.computing.within(`overlapBy of '${task.name}'`, fn);
    const [group, key] = look(() => [task.groupKey(args), task.statusKey(args)]);
    return new TaskRun(call, group, key, (one, reason) => {
      if (one.ended) return;
      kernel.forbidInside('cancel');
      kernel.later(() => this.cancel(one, reason));
    });
  }

  /** A run that is over before it begins, and of which nothing is noted. */
  neverStarted(call: Call, reason: string): TaskRun {
    const run = this.made(call);
    run.finishCancelled(reason);
    return run;
  }

  private notNeeded(run: TaskRun, unless: (read: Read, ...args: never[]) => unknown, cause: Cause): boolean {
    try {
      const { kernel } = this.host;
      const isDone = kernel.computing.within(`unless of '${run.task.name}'`, () =>
        unless(readLive(kernel), ...(run.args as never[])),
      );
      if (!isDone) return false;
      run.finish('done', undefined);
      this.notes.skipped(run, cause, 'there is nothing to do');
    } catch (error) {
      run.finish('failed', error);
      this.notes.skipped(run, cause, error);
      this.reportUnobserved(run, error);
    }
    run.leaveParent();
    return true;
  }

  /** Cancelled before its work began. */
  private neverBegins(run: TaskRun, cause: Cause, reason: string): TaskRun {
    run.finishCancelled(reason);
    run.leaveParent();
    this.notes.skipped(run, cause, reason);
    return run;
  }

  private begin(run: TaskRun, cause: Cause, ofTask: RunsOfTask, group: ConcurrencyGroup): void {
    run.id = ++this.count;
    run.phase = 'running';
    group.running.add(run);
    countBegin(ofTask, run.key);
    const transition = this.notes.started(run, cause);
    if (transition) this.started.set(run, transition);
    // A watcher of the status may have cancelled it already.
    if (run.phase === 'running') this.work(run);
  }

  private work(run: TaskRun): void {
    run.attempt++;
    let result: unknown;
    run.working(true);
    try {
      result = workOf(this.host, run, contextOf(this, run));
    } catch (error) {
      return this.fail(run, error);
    } finally {
      run.working(false);
    }
    if (!isThenable(result)) return this.end(run, 'done', result);
    result.then(
      (value) => {
        run.workIsOver();
        this.end(run, 'done', value);
      },
      (error: unknown) => {
        run.workIsOver();
        this.fail(run, error);
      },
    );
  }

  private fail(run: TaskRun, error: unknown): void {
    const { retry } = run.task.options;
    if (run.phase !== 'running' || !retry || run.attempt > retry.times) return this.end(run, 'failed', error);
    const { wait = 0 } = retry;
    let ms: number;
    try {
      ms = milliseconds("'retry.wait'", typeof wait === 'function' ? wait(run.attempt) : wait);
    } catch (second) {
      return this.end(run, 'failed', second);
    }
    settleOpen(this.host, run, 'reverted');
    this.notes.retried(run, error);
    const stop = this.host.kernel.after(ms, () => came(() => this.work(run)));
    const came = run.await({ stop, reject: stop });
  }

  // ---- the end ----

  private end(run: TaskRun, phase: 'done' | 'failed', value: unknown): void {
    if (run.phase !== 'running') return;
    run.finish(phase, value);
    this.ended(run, phase, phase === 'failed' ? value : undefined);
    if (phase === 'failed') this.reportUnobserved(run, value);
  }

  readonly cancel = (run: TaskRun, reason: string): void => {
    if (run.ended) return;
    if (run.phase === 'waiting') {
      const { queue } = this.tasks.of(run.task).groups.get(run.group)!;
      const place = queue.findIndex((one) => one.run === run);
      const [{ cause }] = queue.splice(place, 1);
      this.neverBegins(run, cause, reason);
      return;
    }
    run.finishCancelled(reason);
    const children = [...(run.children ?? [])];
    const isNotified = children.some(({ observed }) => observed);
    for (const child of children) this.cancelChild(child, reason);
    run.stopWaiting(isNotified);
    this.ended(run, 'cancelled', reason);
  };

  /** A caller gives up what it called: a run that others share goes on. */
  private cancelChild(child: Called, reason: string): void {
    if (child instanceof TaskRun) this.cancel(child, reason);
    else if (child instanceof SharedCall && !child.ended && !child.giveUp(reason)) this.cancel(child.run, reason);
  }

  private ended(run: TaskRun, phase: 'done' | 'failed' | 'cancelled', reason: unknown): void {
    const { task, key } = run;
    run.leaveParent();
    settleOpen(this.host, run, phase === 'done' ? 'confirmed' : 'reverted');
    const ofTask = this.tasks.of(task);
    const group = ofTask.groups.get(run.group)!;
    group.running.delete(run);
    const forgotten = countEnd(ofTask, key, task.options.keep ?? KEEP);
    this.notes.ended(run, phase, reason, { forgotten, isLast: ofTask.running === 0, isBusy: ofTask.busy.has(key) });
    const next = group.running.size === 0 ? group.queue.shift() : undefined;
    if (next) this.begin(next.run, next.cause, ofTask, group);
    else if (group.running.size === 0 && group.queue.length === 0 && ofTask.groups.get(run.group) === group)
      ofTask.groups.delete(run.group);
  }

  /** `await` asks for the promise a little later than the call: only then is it known that no caller does. */
  private reportUnobserved(run: TaskRun, error: unknown): void {
    void Promise.resolve()
      .then(() => undefined)
      .then(() => undefined)
      .then(() => {
        if (!run.observed) this.host.kernel.problem(error, undefined, undefined, run.task.name);
      });
  }

  /** An action was applied: notifies the runs that wait for it, and starts the tasks that handle it. */
  applied(action: AnyAction, tasks: readonly TaskDefinition[], transition: Transition | undefined): void {
    this.listeners.tell(action, transition);
    if (tasks.length === 0) return;
    const args = 'payload' in action ? [action.payload] : [];
    const cause: Cause = transition ? { by: 'runtime', of: transition } : { by: 'runtime' };
    this.starts.add(tasks.map((task) => ({ call: { task, args }, cause })));
  }

  // ---- all runs ----

  /** Cancels the runs that did not begin on the line that is now shown. */
  leave(stays: (transition: Transition) => boolean, reason: 'branch' | 'import'): void {
    for (const run of [...this.tasks.underWay()]) {
      const started = this.started.get(run);
      if (!started || stays(started)) continue;
      if (run.isAtStart) this.starts.toRestart.add(run.task);
      this.cancel(run, reason);
    }
  }

  close(): void {
    this.starts.clear();
    for (const run of [...this.tasks.underWay()]) this.cancel(run, 'closed');
  }
}
