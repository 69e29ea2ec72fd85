// A dispatch, stage by stage: validate, intercept, compute, check, commit, record, notify, after.
import { checkAction, makerOf, type AnyAction } from '../model/action.js';
import { asyncInAtomic, type FloeError } from '../base/errors.js';
import { stopwatch } from '../base/host.js';
import { decide } from './interceptor.js';
import { DEV } from '../base/mode.js';
import { guardData } from '../data/guard.js';
import type { DispatchResult } from '../model/action.js';
import { KnownTouches } from '../data/touches.js';
import type { Cell, CellChange } from './cell.js';
import { brokenBy, RULE } from './compute.js';
import type { Applying, Deciding, Extensible } from './feature.js';
import { unproxiedAction } from './adapter.js';
import { hintReturned } from './hints.js';
import { reportUnhandled } from './reported.js';
import { NO_TASKS, type Handlers } from './handlers.js';
import { NO_CHANGES, type Cause } from './transition.js';

/** The cause of what an interceptor does beside the action that it decides about. */
export const becauseOf = ({ action: { type }, of }: Deciding): Cause =>
  of ? { by: 'interceptor', of, action: type } : { by: 'interceptor', action: type };

export class Pipeline {
  constructor(private readonly kernel: Extensible) {}

  /** From the application: validates; where the past is shown, a branch begins there. */
  dispatch(given: AnyAction, by: Cause | undefined): DispatchResult {
    const { kernel } = this;
    const { notifications, adapters } = kernel;
    kernel.open('dispatch');
    const action = adapters.length === 0 ? given : unproxiedAction(adapters, given);
    checkAction(action);
    kernel.forbidInside('dispatch');
    if (kernel.isMoving) return 'stopped';
    if (notifications.isNotifying) {
      const cause = by ?? kernel.byCode();
      return notifications.enqueue(action, () => {
        kernel.leavePast();
        this.intercept(action, cause);
      });
    }
    // Written out, without a function for each dispatch.
    notifications.begin();
    let failed = true;
    try {
      // An action without a handler begins no branch.
      if (kernel.views.showsPast && !makerOf(action)) kernel.handlers.to(action);
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
    const { kernel } = this;
    if (kernel.interceptors.length === 0) return this.proceed(action, cause, by);
    const deciding: Deciding = { action, of: cause.of };
    return decide({
      action,
      around: (interceptor) => {
        const outer = kernel.deciding;
        kernel.deciding = deciding;
        try {
          interceptor();
        } finally {
          kernel.deciding = outer;
        }
      },
      interceptors: kernel.interceptors.slice(),
      about: makerOf(action)?.about,
      read: kernel.read,
      dispatch: (other) => this.dispatch(other, becauseOf(deciding)),
      mayDecide: (what) => kernel.forbidInside(what),
      apply: (passed) => {
        deciding.action = passed;
        if (passed !== action) checkAction(passed);
        // Inside of a transaction of the application it is part of that, whoever dispatched it.
        if (kernel.transaction) kernel.leavePast();
        // It may have waited: the run that dispatched it may be over, and the cursor elsewhere.
        const why = by?.stopped?.();
        if (why !== undefined) {
          kernel.recorder?.unchanged(passed, cause, 'stopped', why);
          return 'stopped';
        }
        const from: Cause = passed === action ? cause : { ...cause, by: 'interceptor', action: action.type };
        return kernel.call(() => {
          if (cause.run !== undefined) return kernel.views.atLive(() => this.proceed(passed, from, by));
          kernel.leavePast();
          return this.proceed(passed, from, by);
        });
      },
      stopped: (reason) => kernel.recorder?.unchanged(action, cause, 'stopped', reason),
      problem: (error) => kernel.problem(error, undefined, action),
      wait: (end) => {
        if (kernel.transaction) throw asyncInAtomic('an interceptor that decides later');
        kernel.waiting.add(end);
        deciding.of = kernel.recorder?.unchanged(action, cause, 'waiting') ?? deciding.of;
        return () => kernel.waiting.delete(end);
      },
    });
  }

  /** From the interceptors on. */
  proceed(action: AnyAction, cause: Cause, by?: Applying): 'applied' | 'unchanged' {
    const { kernel } = this;
    kernel.catchUp();
    const handlers = kernel.handlers.to(action);
    const { alone } = handlers;
    if (DEV && handlers.stores.length === 0 && handlers.tasks.length === 0) reportUnhandled(kernel, action.type);
    const isPlain =
      alone !== undefined &&
      by === undefined &&
      kernel.transaction === undefined &&
      kernel.attending === undefined &&
      kernel.checks.length === 0 &&
      alone.cell.store.invariants.length === 0;
    return isPlain ? this.short(alone, action, cause) : this.whole(handlers, action, cause, by);
  }

  /** One handler, and nothing that has to look at the change before it is committed: the common case. */
  private short(alone: NonNullable<Handlers['alone']>, action: AnyAction, cause: Cause): 'applied' | 'unchanged' {
    const { kernel } = this;
    const { cell, change } = alone;
    const view = kernel.views.current;
    const { recorder } = kernel;
    const started = recorder ? stopwatch() : 0;
    const before = view.states[cell.index];
    // compute, check
    let after: unknown;
    try {
      after = kernel.computing.alone(cell, change, before, action);
      if (DEV && !Object.is(after, before)) {
        guardAfter(cell, action, after);
        hintReturned(kernel, cell, action.type, before);
      }
    } catch (error) {
      recorder?.unchanged(action, cause, 'failed', error, started);
      throw error;
    }
    const outcome = Object.is(after, before) ? 'unchanged' : 'applied';
    const transition = recorder?.action(
      action,
      cause,
      outcome,
      stopwatch() - started,
      Object.is(after, before) ? NO_CHANGES : [view.change(cell, after)],
      cell.editing,
      undefined,
      started,
    );
    // commit
    if (!Object.is(after, before)) {
      if (recorder) view.known[cell.index] = true;
      view.commit(cell.index, after, cell.editing);
    }
    // record, notify, after. What the draft touched is only good until the next change: a recorder looks at once.
    if (transition) recorder!.record(transition);
    if (transition || !Object.is(after, before)) kernel.notify();
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
    const { recorder, transaction } = kernel;
    const started = recorder ? stopwatch() : 0;
    const changes: CellChange[] = [];
    const touches = recorder ? new KnownTouches() : undefined;
    let broken: readonly FloeError[] = [];
    let refusal: Error | undefined;
    try {
      // compute
      for (const { cell, changes: own } of handlers.stores) {
        const before = view.states[cell.index];
        const after = kernel.computing.all(cell, own, before, action, touches);
        if (Object.is(after, before)) continue;
        if (DEV) hintReturned(kernel, cell, action.type, before);
        changes.push(view.change(cell, after));
      }
      // check
      if (changes.length > 0 && !transaction)
        broken = kernel.computing.within(RULE, () => brokenBy(changes, action.type));
      if (kernel.options.invariants === 'refuse') refusal = broken[0];
      for (const hooks of kernel.checks)
        refusal ??= kernel.computing.within('the check of a feature', () => hooks.check(action, changes));
      if (refusal) throw refusal;
    } catch (error) {
      const outcome = refusal ? 'refused' : 'failed';
      recorder?.unchanged(action, cause, outcome, error, started);
      throw error;
    }
    // commit
    const outcome = changes.length > 0 ? 'applied' : 'unchanged';
    const transition = recorder?.action(action, cause, outcome, stopwatch() - started, changes, touches);
    const attending = by?.optimistic ? kernel.use(by.feature!) : kernel.attending;
    attending?.committing?.(action, changes, transaction?.number, transition, by);
    transaction?.applied.push({ action, changes, transition });
    kernel.commit(changes, touches);
    // record
    if (broken.length > 0 && transition) transition.problems = [...broken];
    if (transition) recorder!.record(transition);
    for (const error of broken) kernel.report(error, action, transition);
    kernel.notify();
    by?.optimistic?.applied();
    kernel.afterwards(action, transition, handlers.tasks);
    return outcome;
  }
}

const guardAfter = ({ store, editing }: Cell, { type }: AnyAction, after: unknown): void =>
  guardData(after, { at: '', what: `The state of '${store.name}' after '${type}'` }, editing);
