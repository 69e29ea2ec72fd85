// One run of a task: what it is waiting for, and the promise of its result.
import { runCancelled } from '../../base/errors.js';
import { aborter } from '../../base/host.js';
import type { Call, TaskDefinition } from './definition.js';
import { Promised } from './promised.js';
import type { Run } from './types.js';
import type { Cause, RunNote } from '../../kernel/transition.js';
import type { PendingAction } from '../rebasing/pending.js';
import { Waits, type Came, type Awaited } from './waits.js';

/** A run that another one called, or its share of one. */
export interface Called {
  readonly observed: boolean;
}

/** Larger than other classes: a run is one object, not several, since there may be many thousands. */
export class TaskRun extends Promised implements Run<unknown> {
  readonly [Symbol.toStringTag] = 'Run';
  id = 0;
  phase: Run<unknown>['phase'] = 'waiting';
  attempt = 0;
  /** What it was given from outside the state. */
  saw: (readonly ['now' | 'random', number])[] | undefined;
  /** The needs that it used while a tool observed it. */
  declare used: Set<string> | undefined;
  /** Optimistic actions that are pending. */
  open: Set<PendingAction> | undefined;
  /** What it called and waits for, and what ends with it. */
  children: Set<Called> | undefined;
  /** The calls that share it, where runs of its task are shared. */
  readonly calls = new Set<{ leave(): void }>();
  parent: TaskRun | undefined;
  readonly task: TaskDefinition;
  readonly args: readonly unknown[];
  /** Whether a caller waits for the result. */
  observed = false;
  /** Started because its task begins with the runtime. */
  isAtStart = false;
  waits: Waits | undefined;
  private isCalled = false;
  private controller: ReturnType<typeof aborter> | undefined;
  private value: unknown;
  private promise: Promise<unknown> | undefined;
  private resolve: ((value: unknown) => void) | undefined;
  private reject: ((error: unknown) => void) | undefined;
  /** Why it was cancelled. */
  reason: string | undefined;
  private cancelError: Error | undefined;

  constructor(
    { task, args }: Call,
    /** The concurrency group: of the runs of one group the option `overlap` says whether they overlap. */
    readonly group: string,
    /** Runs with one key share a status. */
    readonly key: string,
    private readonly cancelBy: (run: TaskRun, reason: string) => void,
  ) {
    super();
    this.task = task;
    this.args = args;
  }

  /** How it is recorded. */
  note(phase: RunNote['phase']): RunNote {
    const { id, task, args, saw } = this;
    return { id, task: task.name, args, phase, ...(saw && phase !== 'running' && { saw }) };
  }

  /** Why something is done that it does now. */
  get cause(): Cause {
    const of = this.waits?.cause;
    return of ? { by: 'task', run: this.id, of } : { by: 'task', run: this.id };
  }

  cancel(reason = 'cancelled'): void {
    this.cancelBy(this, reason);
  }

  // ---- the end ----

  get ended(): boolean {
    return this.phase !== 'waiting' && this.phase !== 'running';
  }

  finish(phase: 'done' | 'failed', value: unknown): void {
    this.phase = phase;
    this.value = value;
    this.stopWaiting();
    if (phase === 'done') this.resolve?.(value);
    else this.reject?.(value);
  }

  finishCancelled(reason: string): void {
    this.phase = 'cancelled';
    this.reason = reason;
    this.controller?.abort(this.cancellation);
    this.reject?.(this.cancellation);
  }

  /** The error of a cancelled run; made only where it is seen. */
  get cancellation(): Error {
    return (this.cancelError ??= runCancelled(this.task.name, this.reason ?? 'cancelled'));
  }

  /** The run that called it does not wait for it any more. */
  leaveParent(): void {
    this.parent?.children?.delete(this);
    this.parent = undefined;
    for (const call of [...this.calls]) call.leave();
  }

  // ---- waiting ----

  get signal(): unknown {
    if (!this.controller) {
      this.controller = aborter();
      if (this.phase === 'cancelled') this.controller.abort(this.cancellation);
    }
    return this.controller.signal;
  }

  /**
   * Adds something that the run waits for; it ends with the run. Returns how to note that it came, and to settle it then.
   */
  await(pending: Awaited): Came {
    if (!this.ended) return this.ensureWaits().add(pending);
    pending.stop();
    if (this.phase === 'cancelled' && this.ensureWaits().tellsOnce()) pending.reject(this.cancellation);
    return () => undefined;
  }

  /** Calls `stop` when the run ends. Returns a function that prevents it. */
  whenEnded(stop: () => void): () => void {
    if (!this.ended) return this.ensureWaits().whenEnded(stop);
    stop();
    return () => undefined;
  }

  private ensureWaits(): Waits {
    if (this.waits === undefined) {
      this.waits = new Waits();
      this.waits.working(this.isCalled);
    }
    return this.waits;
  }

  /** The work is being called, or has returned. */
  working(isCalled: boolean): void {
    this.isCalled = isCalled;
    this.waits?.working(isCalled);
  }

  /** The promise of the work is settled. */
  workIsOver(): void {
    this.waits?.workIsOver();
  }

  /**
   * Ends what it waits for.
   * @param isNotified it waits for another run that was cancelled with it
   */
  stopWaiting(isNotified = false): void {
    if (this.phase !== 'cancelled') this.waits?.end(undefined);
    else if (isNotified) this.ensureWaits().end(this.cancellation, true);
    else this.waits?.end(this.cancellation);
  }

  /** Has the promise of this run never settle: the run that asks for it was cancelled, and knows. */
  silence(): void {
    this.promise = new Promise(() => undefined);
  }

  /** Whether a cancelled run still has to learn of it; true once. */
  tellsOnce(): boolean {
    return this.ensureWaits().tellsOnce();
  }

  // ---- the promise ----

  /** Made only where it is asked for: most runs are started and left alone. */
  protected override result(): Promise<unknown> {
    this.observed = true;
    if (this.promise) return this.promise;
    if (this.phase === 'done') return (this.promise = Promise.resolve(this.value));
    if (this.ended) return (this.promise = Promise.reject(this.phase === 'failed' ? this.value : this.cancellation));
    return (this.promise = new Promise((resolve, reject) => {
      this.resolve = resolve;
      this.reject = reject;
    }));
  }
}
