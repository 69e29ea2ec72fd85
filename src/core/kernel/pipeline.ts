// A dispatch, stage by stage: validate, intercept, compute, check, commit, record, notify, after.
import { checkAction, makerOf, type AnyAction } from '../model/action.js';
import { asyncInAtomic, type FloeError } from '../base/errors.js';
import { stopwatch } from '../base/host.js';
import { decide, type Deciding } from './interceptor.js';
import { DEV } from '../base/mode.js';
import { guardData } from '../data/guard.js';
import type { DispatchResult } from '../model/action.js';
import { KnownTouches } from '../data/touches.js';
import type { Cell, CellChange } from './cell.js';
import { brokenBy, RULE } from './compute.js';
import type { Extensible, Feature } from './feature.js';
import type { Applying } from './hooks.js';
import { unproxiedAction } from './adapter.js';
import { hintReturned } from './hints.js';
import { report } from './problems.js';
import { reportUnhandled } from './reported.js';
import { NO_TASKS, type Handlers } from './handlers.js';
import { commit } from './stating.js';
import { NO_CHANGES, type Cause, type Transition } from './transition.js';

/** The cause of what an interceptor does beside the action that it decides about. */
export const becauseOf = ({ action: { type }, of }: Deciding): Cause =>
  of ? { by: 'interceptor', of, action: type } : { by: 'interceptor', action: type };

const BY_CODE: Cause = { by: 'code' };

const causeOf = (of: Transition | undefined): Cause => (of ? { by: 'code', of } : BY_CODE);

/** The cause of a dispatch now: an interceptor besides the action that it decides about, or the application. */
export const byDispatcher = ({ interceptors: { deciding }, features }: Extensible): Cause =>
  deciding ? becauseOf(deciding) : causeOf(features.of);

/** The cause of a dispatch or a run now: the application, perhaps out of a watcher. */
export const byCode = ({ notifications, features }: Extensible): Cause => causeOf(notifications.of ?? features.of);

export class Pipeline {
  constructor(private readonly kernel: Extensible) {}

  /** From the application: validates; where the past is shown, a branch begins there. */
  readonly dispatch = (given: AnyAction, by?: Cause): DispatchResult => {
    const { kernel } = this;
    const { notifications, features } = kernel;
    const { adapters } = notifications;
    kernel.open('dispatch');
    const action = adapters.length === 0 ? given : unproxiedAction(adapters, given);
    checkAction(action);
    kernel.forbidInside('dispatch');
    if (features.isMoving) return 'stopped';
    if (notifications.isNotifying) {
      const cause = by ?? byCode(kernel);
      return notifications.enqueue(action, () => {
        kernel.features.leavePast();
        this.intercept(action, cause);
      });
    }
    // Written out, without a function for each dispatch.
    notifications.begin();
    let failed = true;
    try {
      // An action without a handler begins no branch.
      if (kernel.views.showsPast && !makerOf(action)) kernel.handlers.to(action);
      kernel.features.leavePast();
      const result = this.intercept(action, by ?? byDispatcher(kernel));
      failed = false;
      return result;
    } finally {
      notifications.end(failed);
    }
  };

  /** Each interceptor proceeds or stops, now or later. A late decision enters the pipeline again here. */
  readonly intercept = (action: AnyAction, cause: Cause, by?: Applying): DispatchResult => {
    const { kernel } = this;
    if (kernel.interceptors.list.length === 0) return this.proceed(action, cause, by);
    // They decide about what is there; and what waits comes after what was reverted.
    kernel.transactions.catchUp();
    const deciding: Deciding = { action, of: cause.of };
    return decide({
      action,
      around: (interceptor) => {
        const outer = kernel.interceptors.deciding;
        kernel.interceptors.deciding = deciding;
        try {
          interceptor();
        } finally {
          kernel.interceptors.deciding = outer;
        }
      },
      interceptors: kernel.interceptors.list.slice(),
      about: makerOf(action)?.about,
      read: kernel.read,
      dispatch: (other) => this.dispatch(other, becauseOf(deciding)),
      mayDecide: (what) => kernel.forbidInside(what),
      apply: (passed) => {
        deciding.action = passed;
        if (passed !== action) checkAction(passed);
        // Inside of a transaction of the application it is part of that, whoever dispatched it.
        if (kernel.transactions.current) kernel.features.leavePast();
        // It may have waited: the run that dispatched it may be over, and the cursor elsewhere.
        const why = by?.stopped?.();
        if (why !== undefined) {
          kernel.recorder?.unchanged({ action: passed, cause, outcome: 'stopped', reason: why });
          return 'stopped';
        }
        const from: Cause = passed === action ? cause : { ...cause, by: 'interceptor', action: action.type };
        return kernel.notifications.call(() => {
          if (cause.run !== undefined) return kernel.views.atLive(() => this.proceed(passed, from, by));
          kernel.features.leavePast();
          return this.proceed(passed, from, by);
        });
      },
      stopped: (reason) => kernel.recorder?.unchanged({ action, cause, outcome: 'stopped', reason }),
      problem: (error) => kernel.problem(error, undefined, action),
      wait: (end) => {
        if (kernel.transactions.current) throw asyncInAtomic('an interceptor that decides later');
        kernel.interceptors.waiting.add(end);
        deciding.of = kernel.recorder?.unchanged({ action, cause, outcome: 'waiting' }) ?? deciding.of;
        return () => kernel.interceptors.waiting.delete(end);
      },
    });
  };

  /** From the interceptors on. */
  proceed(action: AnyAction, cause: Cause, by?: Applying): 'applied' | 'unchanged' {
    const { kernel } = this;
    kernel.transactions.catchUp();
    const handlers = kernel.handlers.to(action);
    const { alone } = handlers;
    if (DEV && handlers.stores.length === 0 && handlers.tasks.length === 0) reportUnhandled(kernel, action.type);
    const isPlain =
      alone !== undefined &&
      by === undefined &&
      kernel.transactions.current === undefined &&
      kernel.features.attending === undefined &&
      kernel.features.checks.length === 0 &&
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
      recorder?.unchanged({ action, cause, outcome: 'failed', reason: error, took: stopwatch() - started });
      throw error;
    }
    const outcome = Object.is(after, before) ? 'unchanged' : 'applied';
    const transition = recorder?.action(
      {
        action,
        cause,
        outcome,
        changed: Object.is(after, before) ? NO_CHANGES : [view.change(cell, after)],
        touches: cell.editing,
        took: stopwatch() - started,
      },
      started,
    );
    // commit
    if (!Object.is(after, before)) {
      if (recorder) view.known[cell.index] = true;
      view.commit(cell.index, after, cell.editing);
    }
    // record, notify, after. What the draft touched is only good until the next change: a recorder looks at once.
    if (transition) recorder!.record(transition);
    if (transition || !Object.is(after, before)) kernel.notifications.notify();
    kernel.features.afterwards(action, transition, NO_TASKS);
    return outcome;
  }

  private whole(handlers: Handlers, action: AnyAction, cause: Cause, by?: Applying): 'applied' | 'unchanged' {
    const { kernel } = this;
    const view = kernel.views.current;
    const { recorder } = kernel;
    const transaction = kernel.transactions.current;
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
      for (const hooks of kernel.features.checks)
        refusal ??= kernel.computing.within('the check of a feature', () => hooks.check(action, changes));
      if (refusal) throw refusal;
    } catch (error) {
      const outcome = refusal ? 'refused' : 'failed';
      recorder?.unchanged({ action, cause, outcome, reason: error, took: stopwatch() - started });
      throw error;
    }
    // commit
    const outcome = changes.length > 0 ? 'applied' : 'unchanged';
    const transition = recorder?.action({
      action,
      cause,
      outcome,
      changed: changes,
      touches,
      took: stopwatch() - started,
      optimistic: by?.optimistic !== undefined,
    });
    const attending = by?.optimistic ? kernel.features.use(by.feature as Feature) : kernel.features.attending;
    const applied = { action, changes, transition };
    attending?.committing?.(applied, transaction?.number, by);
    transaction?.applied.push(applied);
    commit(kernel, changes, touches);
    // record
    if (broken.length > 0 && transition) transition.problems = [...broken];
    if (transition) recorder!.record(transition);
    for (const error of broken) report(kernel.options, error, { action, step: transition?.step });
    kernel.notifications.notify();
    by?.optimistic?.applied();
    kernel.features.afterwards(action, transition, handlers.tasks);
    return outcome;
  }
}

const guardAfter = ({ store, editing }: Cell, { type }: AnyAction, after: unknown): void =>
  guardData(after, { at: '', what: `The state of '${store.name}' after '${type}'` }, editing);
