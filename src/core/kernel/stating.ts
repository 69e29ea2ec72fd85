// States that no dispatch brings: an attachment or a feature states them, and they are recorded as a fact.
import { DEV } from '../base/mode.js';
import { keeping } from '../data/plain.js';
import { guardData } from '../data/guard.js';
import type { CellChange } from './cell.js';
import { brokenBy, RULE } from './compute.js';
import { firstResult, type Extensible, type Rebased } from './feature.js';
import type { Cause, FactName, StoreChange, Transition } from './transition.js';

/** States that are so from now on, as one fact; `false` where that is left out, since the cursor moves. */
export function state(
  kernel: Extensible,
  changes: readonly StoreChange[],
  fact: FactName,
  more?: Partial<Transition>,
): boolean {
  kernel.open(fact);
  kernel.forbidInside(fact);
  guardStates(changes);
  if (kernel.isMoving) return false;
  kernel.leavePast();
  kernel.place(changes, fact, more);
  return true;
}

/**
 * States that come from a storage or another tab: news for the live end, wherever the cursor is, and also while the runtime
 * ends, since an attachment that closes has still to store what it takes in.
 */
export function takeIn(kernel: Extensible, changes: readonly StoreChange[], fact: FactName, cause: Cause): void {
  kernel.forbidInside(fact);
  guardStates(changes);
  kernel.later(() =>
    kernel.views.atLive(() => {
      const states = new Map(changes.map(({ store, after }) => [kernel.cells.get(store.name)!, after]));
      show(kernel, firstResult(kernel, (hooks) => hooks.rebase?.(states)) ?? { states }, fact, cause);
      kernel.notify();
    }),
  );
}

/**
 * Commits states that were computed or stated elsewhere, as one fact at the live end: what stays equal stays the same object.
 * @param type what problems name as their cause
 */
export function show(
  kernel: Extensible,
  { states, problems }: Rebased,
  fact: FactName,
  cause: Cause,
  more: Partial<Transition> = {},
  type = fact as string,
): Transition | undefined {
  const view = kernel.views.current;
  const changes: CellChange[] = [];
  for (const [cell, state] of states) {
    const before = view.states[cell.index];
    const after = keeping(before, state);
    if (!Object.is(after, before)) changes.push(view.change(cell, after));
  }
  const broken = kernel.computing.within(RULE, () => brokenBy(changes, more.action?.type ?? type));
  guardStates(changes, ` after '${type}'`);
  kernel.commit(changes);
  const transition = kernel.recorder?.fact(fact, changes, cause, more);
  for (const error of broken) kernel.problem(error, transition);
  for (const { error, of } of problems?.(type) ?? []) {
    kernel.recorder?.note(error, transition);
    kernel.report(error, of.action, of);
  }
  return transition;
}

/** Commits and records a fact that changed a store which is internal to a feature, and notifies. */
export function noteFact(
  kernel: Extensible,
  fact: FactName,
  changed: CellChange | undefined,
  cause: Cause,
  more: Partial<Transition>,
): Transition | undefined {
  const changes = changed ? [changed] : [];
  kernel.commit(changes);
  const transition = kernel.recorder?.fact(fact, changes, cause, more);
  kernel.notify();
  return transition;
}

function guardStates(changes: readonly StoreChange[], when = ''): void {
  if (DEV)
    for (const { store, after } of changes) guardData(after, { at: '', what: `The state of '${store.name}'${when}` });
}
