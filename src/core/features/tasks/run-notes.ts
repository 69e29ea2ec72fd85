// What is recorded of runs, and what becomes of the status of their task.
import { messageOf } from '../../base/errors.js';
import type { Cause, Transition } from '../../kernel/transition.js';
import type { RunHost } from './run-host.js';
import type { TaskRun } from './run.js';
import { statusIn, withStatus } from './statuses.js';
import type { TaskError, TaskStatus } from './types.js';

export class RunNotes {
  constructor(private readonly host: RunHost) {}

  skipped(run: TaskRun, cause: Cause, reason: unknown): void {
    if (this.host.kernel.recorder)
      this.host.noteRun(run.task, undefined, { fact: 'runSkipped', run: run.note('skipped'), cause, reason });
  }

  started(run: TaskRun, cause: Cause): Transition | undefined {
    const { task, key } = run;
    const startedAt = this.host.kernel.now();
    const begun = (status: TaskStatus | undefined): TaskStatus => ({
      phase: 'running',
      runs: (status?.runs ?? 0) + 1,
      startedAt,
      endedAt: null,
      error: null,
    });
    return this.host.noteRun(
      task,
      (state) => {
        const all = begun(state.all);
        return key === '' ? { ...state, all } : withStatus(state, key, begun(statusIn(state, key)), all);
      },
      { fact: 'runStarted', run: run.note('running'), cause },
    );
  }

  retried(run: TaskRun, error: unknown): void {
    if (!this.host.kernel.recorder) return;
    const cause: Cause = { by: 'task', run: run.id };
    this.host.noteRun(run.task, undefined, { fact: 'runRetried', run: run.note('running'), cause, reason: error });
  }

  /** @param left `forgotten`: the status key that there is no more room for; `isBusy`: another run has the same key */
  ended(
    run: TaskRun,
    phase: 'done' | 'failed' | 'cancelled',
    reason: unknown,
    left: { readonly forgotten: string | undefined; readonly isLast: boolean; readonly isBusy: boolean },
  ): void {
    const { task, key } = run;
    const { forgotten, isLast, isBusy } = left;
    const endedAt = this.host.kernel.now();
    const error = phase === 'failed' ? asData(reason) : null;
    const over = (status: TaskStatus): TaskStatus => ({ ...status, phase, endedAt, error });
    this.host.noteRun(
      task,
      (state) => {
        const all = isLast ? over(state.all) : state.all;
        const own = key === '' || isBusy ? undefined : statusIn(state, key);
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
