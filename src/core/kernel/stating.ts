// States that no dispatch brings: an attachment or a feature states them, and they are recorded as a fact.
import { DEV } from '../base/mode.js';
import { keeping, sameData } from '../data/plain.js';
import { guardData } from '../data/guard.js';
import type { Touches } from '../data/touches.js';
import type { StoreDefinition } from '../model/store.js';
import { unnoted } from '../reactive/graph.js';
import type { Cell, CellChange } from './cell.js';
import { brokenBy, RULE } from './compute.js';
import type { Extensible } from './feature.js';
import type { Rebased, Stated } from './hooks.js';
import { report } from './problems.js';
import type { Cause, FactName, StoreChange, Transition } from './transition.js';

/** What is recorded of a fact. */
type Fact = Partial<Transition> & Pick<Transition, 'cause'>;

/** Makes states the present ones of the view that is worked on. */
export function commit(
  { transactions, recorder, views: { current: view } }: Extensible,
  changes: readonly CellChange[],
  touches?: Touches,
): void {
  for (const { cell, after } of changes) {
    transactions.current?.note(cell, view.states[cell.index]);
    view.known[cell.index] ||= recorder !== undefined;
    view.commit(cell.index, after, touches);
  }
}

/** A state that no action computes is about to be the state of a store. */
export function stated(
  { transactions: { current }, features }: Extensible,
  cell: Cell,
  state: unknown,
  how: Stated,
): void {
  features.attending?.stated?.(cell, state, current?.number, how);
  const changes = [{ cell, before: undefined, after: state }];
  current?.applied.push({ action: undefined, changes, transition: undefined });
}

/** Commits states as one fact, and notifies. @param more `redo`: see `Stated` */
export function place(
  kernel: Extensible,
  changes: readonly StoreChange[],
  fact: FactName,
  { redo, ...more }: Partial<Transition> & Pick<Stated, 'redo'> = {},
): void {
  // A state that is equal now may differ when an optimistic action is reverted.
  const all = changes.map((change) => ({ ...change, cell: kernel.cells.get(change.store.name)! }));
  for (const { cell, after } of all) stated(kernel, cell, after, { redo });
  const changed = all.filter(({ before, after }) => before !== after);
  commit(kernel, changed);
  kernel.recorder?.fact(fact, changed, { by: 'runtime' }, more);
  kernel.notifications.notify();
}

/** Brings stores back to their declared states; all, where none is given. */
export function reset(kernel: Extensible, stores: readonly StoreDefinition[]): void {
  kernel.open('reset');
  kernel.forbidInside('reset');
  if (kernel.features.isMoving) return;
  kernel.features.leavePast();
  const cells = stores.length > 0 ? stores.map((store) => kernel.joining.cell(store)) : [...kernel.cells.values()];
  const changed = cells
    .filter(({ store }) => !store.internal)
    .map((cell) => {
      const { store } = cell;
      const before = kernel.views.stateOf(cell);
      const after = unnoted(() => store.begin());
      if (DEV) guardData(after, { at: '', what: `The initial state of '${store.name}'` });
      return { store, before, after: sameData(before, after) ? before : after };
    });
  kernel.notifications.call(() => place(kernel, changed, 'reset'));
}

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
  if (kernel.features.isMoving) return false;
  kernel.features.leavePast();
  place(kernel, changes, fact, more);
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
      show(kernel, kernel.features.first((hooks) => hooks.rebase?.(states)) ?? { states }, fact, { cause });
      kernel.notifications.notify();
    }),
  );
}

/**
 * Commits states that were computed or stated elsewhere, as one fact at the live end: what stays equal stays the same object.
 * @param fact `type`: what problems name as their cause
 */
export function show(
  kernel: Extensible,
  { states, problems }: Rebased,
  fact: FactName,
  { type = fact, cause, ...more }: Fact & { readonly type?: string | undefined },
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
  commit(kernel, changes);
  const transition = kernel.recorder?.fact(fact, changes, cause, more);
  for (const error of broken) kernel.problem(error, transition);
  for (const { error, of } of problems?.(type) ?? []) {
    kernel.recorder?.note(error, transition);
    report(kernel.options, error, of);
  }
  return transition;
}

/** Commits and records a fact that changed a store which is internal to a feature, and notifies. */
export function noteFact(
  kernel: Extensible,
  changed: CellChange | undefined,
  fact: FactName,
  { cause, ...more }: Fact,
): Transition | undefined {
  const changes = changed ? [changed] : [];
  commit(kernel, changes);
  const transition = kernel.recorder?.fact(fact, changes, cause, more);
  kernel.notifications.notify();
  return transition;
}

function guardStates(changes: readonly StoreChange[], when = ''): void {
  if (DEV)
    for (const { store, after } of changes) guardData(after, { at: '', what: `The state of '${store.name}'${when}` });
}
