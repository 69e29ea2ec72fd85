// `atomic`: many dispatches that commit or roll back together; one inside another rolls back its own.
import { asyncInAtomic } from '../base/errors.js';
import { brokenBy, isThenable } from './compute.js';
import type { Extensible, Hooks } from './feature.js';
import { Transaction } from './transaction.js';

/** @throws what `fn` throws, and FLOE_ASYNC_IN_ATOMIC where it is asynchronous; then everything is rolled back */
export function transact<T>(kernel: Extensible, fn: () => T): T {
  const outer = kernel.transaction;
  return outer ? inner(kernel, outer, fn) : outermost(kernel, fn);
}

function outermost<T>(kernel: Extensible, fn: () => T): T {
  const { notifications } = kernel;
  kernel.leavePast();
  const own = new Transaction(++kernel.transactions);
  const savepoint = savepointOf(kernel);
  kernel.transaction = own;
  try {
    return notifications.hold(() => {
      try {
        const result = resultOf(fn);
        const { states } = kernel.views.current;
        const changed = Array.from(own.before, ([cell]) => ({ store: cell.store, after: states[cell.index] }));
        const broken = brokenBy(changed, 'atomic');
        if (broken.length > 0 && kernel.options.invariants === 'refuse') throw broken[0];
        for (const error of broken) kernel.problem(error, own.transitions.at(-1));
        kernel.transaction = undefined;
        kernel.recorder?.committed(own);
        // Tasks start after the watchers were notified.
        own.later.unshift(...own.after);
        return result;
      } catch (error) {
        kernel.transaction = undefined;
        rollBack(kernel, own, savepoint, error);
        throw error;
      }
    });
  } finally {
    kernel.notify();
    for (const then of own.later) then();
  }
}

/** Steps, invariants and notifications are the outermost transaction's. */
function inner<T>(kernel: Extensible, outer: Transaction, fn: () => T): T {
  const own = new Transaction(outer.number, outer.later);
  const savepoint = savepointOf(kernel);
  kernel.transaction = own;
  try {
    const result = resultOf(fn);
    kernel.transaction = outer;
    outer.take(own);
    return result;
  } catch (error) {
    kernel.transaction = outer;
    rollBack(kernel, own, savepoint, error);
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

/** What features kept when a transaction began. A feature that was installed since is in none. */
type Savepoint = ReadonlyMap<Hooks, unknown>;

const savepointOf = ({ features }: Extensible): Savepoint =>
  new Map(Array.from(features, (hooks) => [hooks, hooks.savepoint?.()]));

function rollBack(kernel: Extensible, own: Transaction, savepoint: Savepoint, error: unknown): void {
  for (const hooks of kernel.features) hooks.rollBack?.(savepoint.get(hooks));
  for (const [cell, state] of own.before) kernel.views.current.commit(cell.index, state, undefined);
  kernel.recorder?.rolledBack(own, error);
}
