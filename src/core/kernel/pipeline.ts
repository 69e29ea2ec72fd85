// A dispatch, stage by stage: validate, intercept, compute, check, commit, record, notify, after.
import { checkAction, makerOf, type AnyAction } from '../model/action.js';
import type { FloeError } from '../base/errors.js';
import { decide, type Interceptor } from './interceptor.js';
import { DEV } from '../base/mode.js';
import { guardData } from '../data/plain.js';
import type { DispatchResult } from '../model/action.js';
import { KnownTouches } from '../data/touches.js';
import type { CellChange } from './cell.js';
import { brokenBy } from './compute.js';
import type { Applying } from './feature.js';
import { NO_TASKS, type Handlers } from './handlers.js';
import type { Inside } from './inside.js';
import { NO_CHANGES, type Cause } from './transition.js';

/** The action that an interceptor decides about, and its transition, or else the one that it answered. */
interface Deciding {
  action: AnyAction;
  of: Cause['of'];
}

export class Pipeline {
  readonly interceptors: { readonly name: string; readonly fn: Interceptor }[] = [];
  /** Set while an interceptor runs. */
  deciding: Deciding | undefined;

  constructor(private readonly kernel: Inside) {}

  /** From the application: validates; where the past is shown, a branch begins there. */
  dispatch(action: AnyAction, by: Cause | undefined): DispatchResult {
    const { kernel } = this;
    const { notifications } = kernel;
    kernel.open('dispatch');
    checkAction(action);
    kernel.forbidInside('dispatch');
    if (kernel.isMoving) return 'stopped';
    if (notifications.isNotifying) return notifications.enqueue(action, by ?? kernel.byCode());
    // Written out, without a function for each dispatch.
    notifications.begin();
    let failed = true;
    try {
      kernel.leavePast();
      const result = this.intercept(action, by ?? kernel.byDispatcher());
      failed = false;
      return result;
    } finally {
      notifications.end(failed);
    }
  }

  /** Each interceptor proceeds or stops, now or later. A late decision enters the pipeline again here. */
  intercept(action: AnyAction, cause: Cause, by?: Applying): DispatchResult {
    if (this.interceptors.length === 0) return this.proceed(action, cause, by);
    const { kernel } = this;
    const deciding: Deciding = { action, of: cause.of };
    return decide({
      action,
      around: (interceptor) => {
        const outer = this.deciding;
        this.deciding = deciding;
        try {
          interceptor();
        } finally {
          this.deciding = outer;
        }
      },
      interceptors: this.interceptors.slice(),
      about: makerOf(action)?.about,
      read: kernel.read,
      mayDecide: (what) => kernel.forbidInside(what),
      apply: (passed) => {
        deciding.action = passed;
        if (passed !== action) checkAction(passed);
        // It may have waited: the run that dispatched it may be over, and the cursor elsewhere.
        const why = by?.stopped?.();
        if (why !== undefined) return kernel.stop(passed, cause, why);
        const from: Cause = passed === action ? cause : { ...cause, by: 'interceptor' };
        return kernel.call(() => {
          if (cause.run !== undefined) return kernel.atLive(() => this.proceed(passed, from, by));
          kernel.leavePast();
          return this.proceed(passed, from, by);
        });
      },
      stopped: (reason) => kernel.recordUnchanged(action, cause, 'stopped', reason),
      wait: (end) => {
        kernel.recordWaiting(action, cause, end);
        return () => kernel.waiting.delete(end);
      },
    });
  }

  /** From the interceptors on. */
  proceed(action: AnyAction, cause: Cause, by?: Applying): 'applied' | 'unchanged' {
    const { kernel } = this;
    const handlers = kernel.handlers.to(action);
    const { alone } = handlers;
    if (DEV && handlers.stores.length === 0 && handlers.tasks.length === 0) kernel.noteNotHandled(action.type);
    const isPlain =
      alone !== undefined && by === undefined && kernel.isPlain && alone.cell.store.invariants.length === 0;
    return isPlain ? this.short(alone, action, cause) : this.whole(handlers, action, cause, by);
  }

  /** One handler, and nothing that has to look at the change before it is committed: the common case. */
  private short(alone: NonNullable<Handlers['alone']>, action: AnyAction, cause: Cause): 'applied' | 'unchanged' {
    const { kernel } = this;
    const { cell, change } = alone;
    const view = kernel.views.current;
    const { recorded } = kernel;
    const started = recorded ? kernel.stopwatch() : 0;
    const before = view.states[cell.index];
    // compute, check
    let after: unknown;
    try {
      after = kernel.computing.alone(cell, change, before, action);
      if (DEV && after !== before) guardAfter(cell.store.name, action, after);
    } catch (error) {
      kernel.recordUnchanged(action, cause, 'failed', error, recorded ? kernel.stopwatch() - started : 0);
      throw error;
    }
    const outcome = after === before ? 'unchanged' : 'applied';
    const transition = recorded
      ? kernel.transitionOf(
          action,
          cause,
          outcome,
          kernel.stopwatch() - started,
          after === before ? NO_CHANGES : [view.change(cell, after)],
          cell.editing,
          undefined,
          started,
        )
      : undefined;
    // commit
    if (after !== before) {
      if (recorded) view.known[cell.index] = true;
      view.commit(cell.index, after, cell.editing);
    }
    // record, notify, after. What the draft touched is only good until the next change: a recorder looks at once.
    if (transition) kernel.record(transition);
    if (transition || after !== before) kernel.notify();
    kernel.afterwards(action, transition, NO_TASKS);
    return outcome;
  }

  private whole(
    handlers: Handlers,
    action: AnyAction,
    cause: Cause,
    by: Applying | undefined,
  ): 'applied' | 'unchanged' {
    const { kernel } = this;
    const view = kernel.views.current;
    const { recorded } = kernel;
    const started = recorded ? kernel.stopwatch() : 0;
    const changes: CellChange[] = [];
    const touches = recorded ? new KnownTouches() : undefined;
    let broken: readonly FloeError[] = [];
    try {
      // compute
      for (const { cell, changes: own } of handlers.stores) {
        const before = view.states[cell.index];
        const after = kernel.computing.all(cell, own, before, action, touches);
        if (after !== before) changes.push(view.change(cell, after));
      }
      // check
      if (changes.length > 0 && !kernel.isInTransaction) broken = brokenBy(changes, action.type);
      if (broken.length > 0 && kernel.invariants === 'refuse') throw broken[0];
    } catch (error) {
      const outcome = broken.length > 0 ? 'refused' : 'failed';
      kernel.recordUnchanged(action, cause, outcome, error, recorded ? kernel.stopwatch() - started : 0);
      throw error;
    }
    // commit
    const outcome = changes.length > 0 ? 'applied' : 'unchanged';
    const transition = recorded
      ? kernel.transitionOf(action, cause, outcome, kernel.stopwatch() - started, changes, touches)
      : undefined;
    kernel.committing(action, changes, transition, by);
    kernel.commit(changes, touches);
    for (const error of broken) kernel.problem(error, transition, action);
    // record
    if (transition) kernel.record(transition);
    kernel.notify();
    by?.optimistic?.applied();
    kernel.afterwards(action, transition, handlers.tasks);
    return outcome;
  }
}

const guardAfter = (store: string, { type }: AnyAction, after: unknown): void =>
  guardData(after, { at: '', what: `The state of '${store}' after '${type}'` });
