// The states of a runtime, as features and what is attached ask for them, and what actions make of given ones.
import { put } from '../data/plain.js';
import type { KnownTouches } from '../data/touches.js';
import type { AnyAction } from '../model/action.js';
import type { Read, Source } from '../model/source.js';
import type { Cell } from './cell.js';
import type { Extensible } from './feature.js';

/** The state of every store, as it is shown, under its name. */
export function shownStates(kernel: Extensible): Record<string, unknown> {
  kernel.transactions.catchUp();
  return statesBy(kernel, (cell) => kernel.views.stateOf(cell));
}

/** The state of every store at the live end, under its name; without what pending optimistic actions did. */
export function confirmedStates(kernel: Extensible): Record<string, unknown> {
  kernel.transactions.catchUp();
  const confirmed = kernel.features.first((hooks) => hooks.confirmed?.());
  const { states } = kernel.views.live;
  return statesBy(kernel, (cell) => (confirmed?.has(cell) ? confirmed.get(cell) : states[cell.index]));
}

function statesBy({ cells }: Extensible, stateOf: (cell: Cell) => unknown): Record<string, unknown> {
  const all: Record<string, unknown> = {};
  for (const [name, cell] of cells) if (!cell.store.internal) put(all, name, stateOf(cell));
  return all;
}

/** Reads at the live end, whatever the screen shows. */
export const readLive = (kernel: Extensible): Read =>
  (<T>(source: Source<T>) => {
    const { views } = kernel;
    kernel.transactions.catchUp();
    return views.atLive(() => views.live.reading.read(source));
  }) as Read;

/** The states that an action is computed on. */
interface Base {
  readonly stateOf: (cell: Cell) => unknown;
  /** Stores of which nothing is computed. Default: none. */
  readonly isLeftOut?: (cell: Cell) => boolean;
  /** Gets what drafts touch. */
  readonly touches?: KnownTouches | undefined;
}

/** What an action makes of states that are given: everything that is computed again is computed here. @throws what its handlers throw */
export function computed(
  { handlers, computing }: Pick<Extensible, 'handlers' | 'computing'>,
  action: AnyAction,
  { stateOf, isLeftOut, touches }: Base,
): ReadonlyMap<Cell, unknown> {
  const changed = new Map<Cell, unknown>();
  for (const { cell, changes } of handlers.to(action).stores) {
    if (isLeftOut?.(cell)) continue;
    const before = stateOf(cell);
    const after = computing.all(cell, changes, before, action, touches);
    if (!Object.is(after, before)) changed.set(cell, after);
  }
  return changed;
}
