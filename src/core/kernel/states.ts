// The states of a runtime, as features and what is attached ask for them, and what actions make of given ones.
import { put } from '../data/plain.js';
import type { AnyAction } from '../model/action.js';
import type { Read, Source } from '../model/source.js';
import type { Cell } from './cell.js';
import { firstResult, type Extensible } from './feature.js';

/** The state of every store, as it is shown, under its name. */
export function shownStates(kernel: Extensible): Record<string, unknown> {
  kernel.catchUp();
  return statesBy(kernel, (cell) => kernel.stateOf(cell));
}

/** The state of every store at the live end, under its name; without what pending optimistic actions did. */
export function confirmedStates(kernel: Extensible): Record<string, unknown> {
  kernel.catchUp();
  const confirmed = firstResult(kernel, (hooks) => hooks.confirmed?.());
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
    kernel.catchUp();
    return views.atLive(() => views.live.reading.read(source));
  }) as Read;

/** What an action makes of states that are given, but of those left out. @throws what its handlers throw */
export function computed(
  { handlers, computing }: Extensible,
  action: AnyAction,
  stateOf: (cell: Cell) => unknown,
  isLeftOut?: (cell: Cell) => boolean,
): ReadonlyMap<Cell, unknown> {
  const changed = new Map<Cell, unknown>();
  for (const { cell, changes } of handlers.to(action).stores) {
    if (isLeftOut?.(cell)) continue;
    const before = stateOf(cell);
    const after = computing.all(cell, changes, before, action);
    if (!Object.is(after, before)) changed.set(cell, after);
  }
  return changed;
}
