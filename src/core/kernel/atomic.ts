// `atomic`: many dispatches that commit or roll back together; one inside another rolls back its own.
import { asyncInAtomic } from '../base/errors.js';
import { brokenBy, isThenable } from './compute.js';
import type { Inside, Savepoint } from './inside.js';
import { Transaction } from './transaction.js';
import type { Transition } from './transition.js';

/** @throws what `fn` throws, and FLOE_ASYNC_IN_ATOMIC where it is asynchronous; then everything is rolled back */
export function transact<T>(kernel: Inside, fn: () => T): T {
  const outer = kernel.transaction;
  return outer ? inner(kernel, outer, fn) : outermost(kernel, fn);
}

function outermost<T>(kernel: Inside, fn: () => T): T {
  const { notifications } = kernel;
  kernel.leavePast();
  const own = new Transaction(kernel.nextTransaction());
  const savepoint = kernel.savepoint();
  kernel.transaction = own;
  try {
    return notifications.hold(() => {
      try {
        const result = resultOf(fn);
        const { states } = kernel.views.current;
        const changed = Array.from(own.before, ([cell]) => ({ store: cell.store, after: states[cell.index] }));
        const broken = brokenBy(changed, 'atomic');
        if (broken.length > 0 && kernel.invariants === 'refuse') throw broken[0];
        for (const error of broken) kernel.problem(error, own.transitions.at(-1));
        kernel.transaction = undefined;
        for (const transition of own.transitions) {
          transition.caught = transition.outcome === 'failed';
          kernel.record(transition);
        }
        // Tasks start after the watchers were notified.
        own.later.unshift(...own.after);
        return result;
      } catch (error) {
        kernel.transaction = undefined;
        rollBack(kernel, own, savepoint);
        for (const transition of reverted(own, error)) kernel.record(transition);
        throw error;
      }
    });
  } finally {
    kernel.notify();
    for (const then of own.later) then();
  }
}

/** Steps, invariants and notifications are the outermost transaction's. */
function inner<T>(kernel: Inside, outer: Transaction, fn: () => T): T {
  const own = new Transaction(outer.number, outer.later);
  const savepoint = kernel.savepoint();
  kernel.transaction = own;
  try {
    const result = resultOf(fn);
    outer.take(own);
    return result;
  } catch (error) {
    rollBack(kernel, own, savepoint);
    outer.transitions.push(...reverted(own, error));
    throw error;
  } finally {
    kernel.transaction = outer;
  }
}

function resultOf<T>(fn: () => T): T {
  const result = fn();
  if (!isThenable(result)) return result;
  // Its result has no effect, and its failure must not be an unhandled rejection.
  result.then(undefined, () => undefined);
  throw asyncInAtomic('waiting');
}

function rollBack(kernel: Inside, { before, transitions }: Transaction, savepoint: Savepoint): void {
  kernel.rollBack(savepoint);
  for (const [cell, state] of before) kernel.views.current.commit(cell.index, state, undefined);
  kernel.eachListener((listener) => listener.reverting?.(transitions));
}

/** What is recorded of a transaction that was rolled back. A store that joined meanwhile has joined. */
const reverted = ({ transitions }: Transaction, reason: unknown): Transition[] =>
  transitions.flatMap((transition) => {
    const { fact, action } = transition;
    if (fact === 'joined' || fact === 'rehydrated') return [transition];
    return action ? [{ ...transition, outcome: 'reverted' as const, changed: [], reason }] : [];
  });
