// One store in one runtime.
import { Editing } from '../draft/editing.js';
import type { StoreDefinition } from '../model/store.js';
import type { StoreChange } from './transition.js';

export interface Cell {
  /** Its position in every view. */
  readonly index: number;
  /** As it is declared now: a reloaded module may declare it once more. */
  store: StoreDefinition;
  /** The state that it joined with, before anything stored. */
  readonly begun: unknown;
  editing: Editing;
}

export const makeCell = (index: number, store: StoreDefinition, begun: unknown): Cell => ({
  index,
  store,
  begun,
  editing: new Editing(),
});

/** What a transition changes in one store. */
export interface CellChange extends StoreChange {
  readonly cell: Cell;
}
