// The runs of tasks in one runtime: which are under way, what overlaps, and who waits for which action.
import { milliseconds } from '../../base/host.js';
import { readLive } from '../../kernel/states.js';
import type { AnyAction } from '../../model/action.js';
import { messageOf } from '../../base/errors.js';
import { isThenable } from '../../kernel/compute.js';
import { isShown } from '../../kernel/line.js';
import { successorOf } from '../../kernel/reload.js';
import { contextOf, type Listener } from './context.js';
import { guardData } from '../../data/guard.js';
import { DEV } from '../../base/mode.js';
import { TaskRun, type Called } from './run.js';
import { SharedCall } from './shared-call.js';
import { Starts } from './starts.js';
import type { RunHost } from './run-host.js';
import type { Read } from '../../model/source.js';
import type { Running } from '../../kernel/feature.js';
import type { Call, TaskDefinition } from './definition.js';
import { statusIn, withStatus } from './statuses.js';
import type { TaskError, TaskStatus } from './types.js';
import type { Cause, Transition } from '../../kernel/transition.js';

/** The runs of one task. */
interface RunsOfTask {
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
interface ConcurrencyGroup {
  readonly running: Set<TaskRun>;
  readonly queue: { readonly run: TaskRun; readonly cause: Cause }[];
}

/** As many statuses of runs that have ended are kept, a task, for different arguments, where the task says nothing. */
const KEEP = 1000;

export class Runs {
  private readonly tasks = new Map<TaskDefinition, RunsOfTask>();
  private readonly listeners = new Map<string, Set<Listener>>();
  /** Runs that actions and the beginning of the runtime start. */
  private readonly starts: Starts;
  /** Tasks that begin with the runtime, and whose runs ended with a line that was left. */
  private readonly toRestart = new Set<TaskDefinition>();
  private count = 0;
  private readonly started = new WeakMap<TaskRun, Transition>();

  constructor(readonly host: RunHost) {
    this.starts = new Starts(
      ({ call, cause, isAtStart }) => void this.start(call, cause, undefined, isAtStart),
      (error) => host.kernel.problem(error),
    );
  }

  /** The tasks that have run. */
  get definitions(): Iterable<TaskDefinition> {
    return this.tasks.keys();
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
    const ofTask = this.runsOf(task);
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
      this.noteSkipped(run, cause, 'there is nothing to do');
    } catch (error) {
      run.finish('failed', error);
      this.noteSkipped(run, cause, error);
      this.reportUnobserved(run, error);
    }
    this.leaveParent(run);
    return true;
  }

  /** Cancelled before its work began. */
  private neverBegins(run: TaskRun, cause: Cause, reason: string): TaskRun {
    run.finishCancelled(reason);
    this.leaveParent(run);
    this.noteSkipped(run, cause, reason);
    return run;
  }

  private noteSkipped(run: TaskRun, cause: Cause, reason: unknown): void {
    if (this.host.kernel.recorder)
      this.host.noteRun(run.task, undefined, { fact: 'runSkipped', run: run.note('skipped'), cause, reason });
  }

  private runsOf(task: TaskDefinition): RunsOfTask {
    let ofTask = this.tasks.get(task) ?? (DEV ? this.runsBefore(task) : undefined);
    if (!ofTask) {
      const ended = new Set<string>();
      ofTask = { groups: new Map(), running: 0, busy: new Map(), ended, oldest: ended.values() };
    }
    this.tasks.set(task, ofTask);
    return ofTask;
  }

  /** Development only: runs of the task whose module was reloaded since are runs of this one. */
  private runsBefore({ name, store }: TaskDefinition): RunsOfTask | undefined {
    for (const [known, ofTask] of this.tasks) {
      if (known.name !== name) continue;
      const isReloaded =
        known.store && store ? successorOf(this.host.kernel, known.store) === store : known.store === store;
      if (!isReloaded) continue;
      // A run that is under way still asks for them by its own definition.
      if (ofTask.running === 0) this.tasks.delete(known);
      return ofTask;
    }
    return undefined;
  }

  private begin(run: TaskRun, cause: Cause, ofTask: RunsOfTask, group: ConcurrencyGroup): void {
    const { task, key } = run;
    run.id = ++this.count;
    run.phase = 'running';
    group.running.add(run);
    ofTask.running++;
    if (key !== '') {
      ofTask.busy.set(key, (ofTask.busy.get(key) ?? 0) + 1);
      ofTask.ended.delete(key);
    }
    const startedAt = this.host.kernel.now();
    const begun = (status: TaskStatus | undefined): TaskStatus => ({
      phase: 'running',
      runs: (status?.runs ?? 0) + 1,
      startedAt,
      endedAt: null,
      error: null,
    });
    const transition = this.host.noteRun(
      task,
      (state) => {
        const all = begun(state.all);
        return key === '' ? { ...state, all } : withStatus(state, key, begun(statusIn(state, key)), all);
      },
      { fact: 'runStarted', run: run.note('running'), cause },
    );
    if (transition) this.started.set(run, transition);
    // A watcher of the status may have cancelled it already.
    if (run.phase === 'running') this.work(run);
  }

  private work(run: TaskRun): void {
    run.attempt++;
    let result: unknown;
    run.working(true);
    try {
      result = this.inContext(run, () => run.task.work(contextOf(this, run), ...(run.args as never[])));
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

  /** Does the work of a run, in what features put around it. */
  private inContext(run: TaskRun, work: () => unknown): unknown {
    let all = work;
    for (const hooks of this.host.kernel.features) {
      if (!hooks.working) continue;
      const inner = all;
      all = () => hooks.working!(run.note('running'), inner);
    }
    return all();
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
    this.settleOpen(run, 'reverted');
    if (this.host.kernel.recorder)
      this.host.noteRun(run.task, undefined, {
        fact: 'runRetried',
        run: run.note('running'),
        cause: { by: 'task', run: run.id },
        reason: error,
      });
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
      const { queue } = this.runsOf(run.task).groups.get(run.group)!;
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
    this.leaveParent(run);
    this.settleOpen(run, phase === 'done' ? 'confirmed' : 'reverted');
    const ofTask = this.runsOf(task);
    const group = ofTask.groups.get(run.group)!;
    group.running.delete(run);
    ofTask.running--;
    const forgotten = this.countEnd(ofTask, key, task.options.keep ?? KEEP);
    const endedAt = this.host.kernel.now();
    const error = phase === 'failed' ? asData(reason) : null;
    const over = (status: TaskStatus): TaskStatus => ({ ...status, phase, endedAt, error });
    this.host.noteRun(
      task,
      (state) => {
        const all = ofTask.running > 0 ? state.all : over(state.all);
        const own = key === '' || ofTask.busy.has(key) ? undefined : statusIn(state, key);
        if (own === undefined) return all === state.all ? state : { ...state, all };
        const next = withStatus(state, key, over(own), all);
        return forgotten === undefined ? next : withStatus(next, forgotten, undefined);
      },
      {
        fact: 'runEnded',
        run: run.note(phase),
        cause: { by: 'task', run: run.id },
        ...(reason !== undefined && { reason }),
      },
    );
    const next = group.running.size === 0 ? group.queue.shift() : undefined;
    if (next) this.begin(next.run, next.cause, ofTask, group);
    else if (group.running.size === 0 && group.queue.length === 0 && ofTask.groups.get(run.group) === group)
      ofTask.groups.delete(run.group);
  }

  /** Counts one run less under a status key. Returns the key whose status there is no more room for. */
  private countEnd({ busy, ended, oldest }: RunsOfTask, key: string, keep: number): string | undefined {
    if (key === '') return undefined;
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

  private settleOpen(run: TaskRun, how: 'confirmed' | 'reverted'): void {
    if (!run.open) return;
    this.host.settleAll([...run.open], how, { by: 'task', run: run.id });
    run.open = undefined;
  }

  private leaveParent(run: TaskRun): void {
    run.parent?.children?.delete(run);
    run.parent = undefined;
    for (const call of [...run.calls]) call.leave();
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

  // ---- actions ----

  /** Whether a run waits for an action. */
  get listens(): boolean {
    return this.listeners.size > 0;
  }

  /** Whether a run waits for actions of a type. */
  listensTo(type: string): boolean {
    return this.listeners.has(type);
  }

  /** Calls `listener` with each action of these types. Returns a function that stops it. */
  listen(types: readonly string[], listener: Listener): () => void {
    for (const type of types) {
      const known = this.listeners.get(type);
      if (known) known.add(listener);
      else this.listeners.set(type, new Set([listener]));
    }
    return () => {
      for (const type of types) {
        const listeners = this.listeners.get(type);
        if (listeners?.delete(listener) && listeners.size === 0) this.listeners.delete(type);
      }
    };
  }

  /** An action was applied: notifies the runs that wait for it, and starts the tasks that handle it. */
  applied(action: AnyAction, tasks: readonly TaskDefinition[], transition: Transition | undefined): void {
    const listeners = this.listeners.get(action.type);
    if (listeners) for (const listener of [...listeners]) listener(action, transition);
    if (tasks.length === 0) return;
    const args = 'payload' in action ? [action.payload] : [];
    const cause: Cause = transition ? { by: 'runtime', of: transition } : { by: 'runtime' };
    this.starts.add(tasks.map((task) => ({ call: { task, args }, cause })));
  }

  atStart(tasks: readonly TaskDefinition[]): void {
    const begin = tasks.filter(({ options }) => options.atStart);
    this.starts.add(begin.map((task) => ({ call: { task, args: [] }, cause: { by: 'runtime' }, isAtStart: true })));
  }

  // ---- all runs ----

  private *underWay(): Iterable<TaskRun> {
    for (const { groups } of this.tasks.values())
      for (const { running, queue } of groups.values()) {
        for (const { run } of [...queue]) yield run;
        yield* [...running];
      }
  }

  /** Cancels the runs that did not begin on the line that is now shown. */
  leave(stays: (transition: Transition) => boolean, reason: 'branch' | 'import'): void {
    for (const run of [...this.underWay()]) {
      const started = this.started.get(run);
      if (!started || stays(started)) continue;
      if (run.isAtStart) this.toRestart.add(run.task);
      this.cancel(run, reason);
    }
  }

  get isRestarting(): boolean {
    return this.toRestart.size > 0;
  }

  restart(): void {
    const tasks = [...this.toRestart];
    this.toRestart.clear();
    this.atStart(tasks);
  }

  /** How many runs of a task are under way, and how many under each status key. */
  running(statuses: string): Running | undefined {
    for (const [task, { running, busy }] of this.tasks)
      if (task.statuses.name === statuses) return { count: running, keys: busy };
    return undefined;
  }

  close(): void {
    this.toRestart.clear();
    this.starts.clear();
    for (const run of [...this.underWay()]) this.cancel(run, 'closed');
  }
}

/** What is kept of an error in the status. */
function asData(error: unknown): TaskError {
  let code: unknown;
  try {
    code = (error as { code?: unknown } | null | undefined)?.code;
  } catch {
    // It refuses to be looked at.
  }
  return { message: messageOf(error), ...(typeof code === 'string' && { code }) };
}
