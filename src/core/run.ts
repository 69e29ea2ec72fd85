// One run of a task: what it is waiting for, and the promise of its result.
import { runCancelled } from './errors.js';
import { aborter } from './host.js';
import type { Run, TaskCall, TaskDefinition } from './task.js';
import type { RunNote } from './transition.js';
import type { Settling } from './optimistic.js';

/** Something that a run waits for. */
export interface Pending {
  /** The run has ended: nobody waits any more. */
  stop(): void;
  /** The run is cancelled: it will not come. */
  reject(error: unknown): void;
}

export class TaskRun implements Run<unknown> {
  readonly [Symbol.toStringTag] = 'Run';
  id = 0;
  phase: Run<unknown>['phase'] = 'waiting';
  attempt = 0;
  /** What it was given from outside the state. */
  saw: (readonly ['now' | 'random', number])[] | undefined;
  /** Optimistic actions that are neither confirmed nor taken back. */
  open: Set<Settling> | undefined;
  children: Set<TaskRun> | undefined;
  parent: TaskRun | undefined;
  readonly task: TaskDefinition;
  readonly args: readonly unknown[];
  /** Whether somebody waits for the result. */
  observed = false;
  private pending: Set<Pending> | undefined;
  private controller: ReturnType<typeof aborter> | undefined;
  private value: unknown;
  private promise: Promise<unknown> | undefined;
  private resolve: ((value: unknown) => void) | undefined;
  private reject: ((error: unknown) => void) | undefined;
  /** Why it was cancelled. */
  reason: string | undefined;
  private cancelError: Error | undefined;

  constructor(
    { task, args }: TaskCall<unknown>,
    /** Runs with one lane overlap. */
    readonly lane: string,
    /** Runs with one key share a status. */
    readonly key: string,
    private readonly cancelBy: (run: TaskRun, reason: string) => void,
  ) {
    this.task = task;
    this.args = args;
  }

  /** How it is recorded. */
  note(phase: RunNote['phase']): RunNote {
    const { id, task, args, saw } = this;
    return { id, task: task.name, args, phase, ...(saw && phase !== 'running' && { saw }) };
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
    this.stopWaiting();
    this.reject?.(this.cancellation);
  }

  /** The error of a cancelled run; made only where somebody sees it. */
  get cancellation(): Error {
    return (this.cancelError ??= runCancelled(this.task.name, this.reason ?? 'cancelled'));
  }

  // ---- waiting ----

  get signal(): unknown {
    if (!this.controller) {
      this.controller = aborter();
      if (this.phase === 'cancelled') this.controller.abort(this.cancellation);
    }
    return this.controller.signal;
  }

  /** Has `pending` ended when the run ends; at once where it has. Returns how to note that it came. */
  await(pending: Pending): () => void {
    const { pending: all = (this.pending = new Set()) } = this;
    if (this.ended) this.drop(pending);
    else all.add(pending);
    return () => void all.delete(pending);
  }

  /** Nobody waits any more: what was not awaited ends with the run. */
  private stopWaiting(): void {
    const { pending } = this;
    if (!pending || pending.size === 0) return;
    this.pending = undefined;
    for (const one of pending) this.drop(one);
  }
  private drop(pending: Pending): void {
    pending.stop();
    if (this.phase === 'cancelled') pending.reject(this.cancellation);
  }

  // ---- the promise ----

  /** Made only where somebody asks for it: most runs are started and left alone. */
  private result(): Promise<unknown> {
    this.observed = true;
    if (this.promise) return this.promise;
    if (this.phase === 'done') return (this.promise = Promise.resolve(this.value));
    if (this.ended) return (this.promise = Promise.reject(this.phase === 'failed' ? this.value : this.cancellation));
    return (this.promise = new Promise((resolve, reject) => {
      this.resolve = resolve;
      this.reject = reject;
    }));
  }

  then<R = unknown, E = never>(
    fulfilled?: ((value: unknown) => R | PromiseLike<R>) | null,
    rejected?: ((error: unknown) => E | PromiseLike<E>) | null,
  ): Promise<R | E> {
    return this.result().then(fulfilled, rejected);
  }
  catch<E = never>(rejected?: ((error: unknown) => E | PromiseLike<E>) | null): Promise<unknown> {
    return this.result().catch(rejected);
  }
  finally(done?: (() => void) | null): Promise<unknown> {
    return this.result().finally(done);
  }
}
