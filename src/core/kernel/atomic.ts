// `atomic`: many dispatches that commit or roll back together; one inside another rolls back its own.
import { asyncInAtomic } from '../base/errors.js';
import { brokenBy, isThenable, RULE } from './compute.js';
import { eachFeature, type Extensible } from './feature.js';
import { Transaction, type Savepoint } from './transaction.js';

/** @throws what `fn` throws, and FLOE_ASYNC_IN_ATOMIC where it is asynchronous; then everything is rolled back */
export function transact<T>(kernel: Extensible, fn: () => T): T {
  const outer = kernel.transaction;
  return outer ? inner(kernel, outer, fn) : outermost(kernel, fn);
}

function outermost<T>(kernel: Extensible, fn: () => T): T {
  const { notifications } = kernel;
  const own = new Transaction(++kernel.transactions, savepointOf(kernel));
  let committed = false;
  kernel.transaction = own;
  try {
    return notifications.hold(() => {
      try {
        const result = resultOf(fn);
        const { states } = kernel.views.current;
        const changed = Array.from(own.before, ([cell]) => ({ store: cell.store, after: states[cell.index] }));
        const broken = kernel.computing.within(RULE, () => brokenBy(changed, 'atomic'));
        if (broken.length > 0 && kernel.options.invariants === 'refuse') throw broken[0];
        kernel.transaction = undefined;
        const last = own.transitions.at(-1);
        if (last && broken.length > 0) last.problems = [...(last.problems ?? []), ...broken];
        kernel.recorder?.committed(own);
        for (const error of broken) kernel.report(error, undefined, last);
        committed = true;
        return result;
      } catch (error) {
        kernel.transaction = undefined;
        rollBack(kernel, own, error);
        throw error;
      }
    });
  } finally {
    kernel.notify();
    // Tasks start after the watchers were notified. The transaction has ended: what throws now is no error of it.
    if (committed)
      for (const { action, tasks, transition } of own.after)
        attempt(kernel, () => kernel.afterwards(action, transition, tasks));
    for (const then of own.later) attempt(kernel, then);
  }
}

/** Does one part of what a transaction put off: the other parts are done, whatever it throws. */
function attempt(kernel: Extensible, fn: () => void): void {
  try {
    kernel.call(fn);
  } catch (error) {
    kernel.problem(error);
  }
}

/** Steps, invariants and notifications are the outermost transaction's. */
function inner<T>(kernel: Extensible, outer: Transaction, fn: () => T): T {
  const own = new Transaction(outer.number, savepointOf(kernel), outer, outer.later);
  kernel.transaction = own;
  try {
    const result = resultOf(fn);
    kernel.transaction = outer;
    outer.take(own);
    return result;
  } catch (error) {
    kernel.transaction = outer;
    rollBack(kernel, own, error);
    throw error;
  }
}

function resultOf<T>(fn: () => T): T {
  const result = fn();
  if (!isThenable(result)) return result;
  // Its result has no effect, and its failure must not be an unhandled rejection.
  result.then(undefined, () => undefined);
  throw asyncInAtomic('waiting');
}

/** What features keep for when a transaction fails that begins now. A feature that is installed later is in none. */
export const savepointOf = ({ features }: Pick<Extensible, 'features'>): Savepoint =>
  new Map(Array.from(features, (hooks) => [hooks, hooks.savepoint?.()]));

function rollBack(kernel: Extensible, own: Transaction, error: unknown): void {
  eachFeature(kernel, (hooks) => hooks.rollBack?.(own.savepoint.get(hooks)));
  for (const [cell, state] of own.before) kernel.views.current.commit(cell.index, state, undefined);
  kernel.recorder?.rolledBack(own, error);
}
