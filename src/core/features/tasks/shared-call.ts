// One call of a task whose runs are shared. Each caller has a call of its own, and gives up that alone: the run ends when its
// last caller gave it up.
import { runCancelled } from '../../base/errors.js';
import type { TaskRun } from './run.js';
import { Promised } from './promised.js';
import type { Run } from './types.js';

export class SharedCall extends Promised implements Run<unknown> {
  readonly [Symbol.toStringTag] = 'Run';
  /** A caller waits for the result. */
  observed = false;
  /** Why its caller gave it up. */
  private reason: string | undefined;
  private promise: Promise<unknown> | undefined;
  private reject: ((error: unknown) => void) | undefined;

  constructor(
    readonly run: TaskRun,
    /** The run that called, if one did. */
    readonly parent: TaskRun | undefined,
    private readonly cancelBy: (call: SharedCall, reason: string) => void,
  ) {
    super();
    run.calls.add(this);
    if (parent) (parent.children ??= new Set()).add(this);
  }

  get id(): number {
    return this.run.id;
  }
  get phase(): Run<unknown>['phase'] {
    return this.reason === undefined ? this.run.phase : 'cancelled';
  }
  get ended(): boolean {
    return this.reason !== undefined || this.run.ended;
  }

  cancel(reason = 'cancelled'): void {
    this.cancelBy(this, reason);
  }

  /** Its caller gives it up. Returns whether another one still waits for the run. */
  giveUp(reason: string): boolean {
    this.reason = reason;
    this.leave();
    this.reject?.(this.cancellation);
    return this.run.calls.size > 0;
  }

  /** The run has ended, or goes on without this caller. */
  leave(): void {
    this.run.calls.delete(this);
    this.parent?.children?.delete(this);
  }

  private get cancellation(): Error {
    return runCancelled(this.run.task.name, this.reason ?? 'cancelled');
  }

  protected override result(): Promise<unknown> {
    if (this.promise) return this.promise;
    if (this.reason !== undefined) return (this.promise = Promise.reject(this.cancellation));
    this.observed = true;
    return (this.promise = new Promise((resolve, reject) => {
      this.reject = reject;
      this.run.then(resolve, reject);
    }));
  }
}
