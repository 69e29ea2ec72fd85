// Batches and transactions. `atomic`: many dispatches that commit or roll back together; one inside another rolls back its own.
import { asyncInAtomic } from '../base/errors.js';
import { brokenBy, isThenable, RULE, type Computing } from './compute.js';
import type { Features, FeaturesHost } from './features.js';
import type { KernelOptions } from './options.js';
import { report } from './problems.js';
import type { Recorder } from './recorder.js';
import { Transaction } from './transaction.js';

/** What transactions need of the kernel. */
interface TransactionsHost extends FeaturesHost {
  readonly options: KernelOptions;
  readonly computing: Computing;
  readonly features: Pick<Features<FeaturesHost>, 'savepoint' | 'each' | 'afterwards'>;
  readonly recorder: Recorder | undefined;
}

export class Transactions {
  /** The innermost one that is under way. */
  current: Transaction | undefined;
  private count = 0;
  private batches = 0;
  private readonly putOff: (() => void)[] = [];

  constructor(private readonly kernel: TransactionsHost) {}

  /** Many transitions, one notification. */
  batch<T>(fn: () => T): T {
    const { notifications } = this.kernel;
    return notifications.call(() => {
      this.batches++;
      try {
        return notifications.hold(fn);
      } finally {
        if (--this.batches === 0) this.catchUp();
        notifications.notify();
      }
    });
  }

  /** @throws what `fn` throws, and FLOE_ASYNC_IN_ATOMIC where it is asynchronous; then everything is rolled back */
  atomic<T>(fn: () => T): T {
    const { current } = this;
    // What was put off before it is no part of it: should it be rolled back, that stays.
    if (!current) this.catchUp();
    return this.kernel.notifications.call(() => (current ? this.inner(current, fn) : this.outermost(fn)));
  }

  /** Calls `fn` now, or after the outermost transaction, however it ends. */
  readonly later = (fn: () => void): void => {
    if (this.current) return void this.current.later.push(fn);
    this.catchUp();
    fn();
  };

  /** The same, but in a batch put off until it ends, or until code reads, dispatches or the like. */
  readonly afterBatch = (fn: () => void): void => {
    if (this.current || this.batches === 0) this.later(fn);
    else this.putOff.push(fn);
  };

  /** Does now what was put off in a batch. */
  catchUp(): void {
    if (this.putOff.length === 0) return;
    for (const fn of this.putOff.splice(0)) {
      try {
        fn();
      } catch (error) {
        this.kernel.problem(error);
      }
    }
  }

  private outermost<T>(fn: () => T): T {
    const { kernel } = this;
    const { notifications, features } = kernel;
    const own = new Transaction(++this.count, features.savepoint());
    let committed = false;
    this.current = own;
    try {
      return notifications.hold(() => {
        try {
          const result = resultOf(fn);
          this.commit(own);
          committed = true;
          return result;
        } catch (error) {
          this.current = undefined;
          this.rollBack(own, error);
          throw error;
        }
      });
    } finally {
      notifications.notify();
      // Tasks start after the watchers were notified. The transaction has ended: what throws now is no error of it.
      if (committed)
        for (const { action, tasks, transition } of own.after)
          this.attempt(() => features.afterwards(action, transition, tasks));
      for (const then of own.later) this.attempt(then);
    }
  }

  /** @throws FLOE_INVARIANT_BROKEN where rules refuse */
  private commit(own: Transaction): void {
    const { kernel } = this;
    const { states } = kernel.views.current;
    const changed = Array.from(own.before, ([cell]) => ({ store: cell.store, after: states[cell.index] }));
    const broken = kernel.computing.within(RULE, () => brokenBy(changed, 'atomic'));
    if (broken.length > 0 && kernel.options.invariants === 'refuse') throw broken[0];
    this.current = undefined;
    const last = own.transitions.at(-1);
    if (last && broken.length > 0) last.problems = [...(last.problems ?? []), ...broken];
    kernel.recorder?.committed(own);
    for (const error of broken) report(kernel.options, error, { step: last?.step });
  }

  /** Does one part of what a transaction put off: the other parts are done, whatever it throws. */
  private attempt(fn: () => void): void {
    try {
      this.kernel.notifications.call(fn);
    } catch (error) {
      this.kernel.problem(error);
    }
  }

  /** Steps, invariants and notifications are the outermost transaction's. */
  private inner<T>(outer: Transaction, fn: () => T): T {
    const own = new Transaction(outer.number, this.kernel.features.savepoint(), outer, outer.later);
    this.current = own;
    try {
      const result = resultOf(fn);
      this.current = outer;
      outer.take(own);
      return result;
    } catch (error) {
      this.current = outer;
      this.rollBack(own, error);
      throw error;
    }
  }

  private rollBack(own: Transaction, error: unknown): void {
    const { features, views, recorder } = this.kernel;
    features.each((hooks) => hooks.rollBack?.(own.savepoint.get(hooks)));
    for (const [cell, state] of own.before) views.current.commit(cell.index, state, undefined);
    recorder?.rolledBack(own, error);
  }
}

function resultOf<T>(fn: () => T): T {
  const result = fn();
  if (!isThenable(result)) return result;
  // Its result has no effect, and its failure must not be an unhandled rejection.
  result.then(undefined, () => undefined);
  throw asyncInAtomic('waiting');
}
