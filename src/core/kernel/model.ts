// What the code makes of an action, apart from any runtime: for what was recorded and is computed once more.
import type { AnyAction } from '../model/action.js';
import { HandlerTable } from './handlers.js';
import { brokenBy, Computing } from './compute.js';
import { KnownTouches, type Touches } from '../data/touches.js';
import { brokenRule, messageOf, type FloeError } from '../base/errors.js';
import { hasOwn } from '../data/plain.js';
import { makeCell, type Cell } from './cell.js';
import { computed } from './states.js';
import type { StoreDefinition } from '../model/store.js';
import type { StoreChange } from './transition.js';

/** What an action comes to. */
export interface Computed {
  readonly changed: readonly StoreChange[];
  /** Good until the next action is applied. */
  readonly touches: Touches;
}

/** A state tree after changes; the same one where there are none. */
export function withChanges(
  states: Readonly<Record<string, unknown>>,
  changed: readonly StoreChange[],
): Readonly<Record<string, unknown>> {
  if (changed.length === 0) return states;
  const next = { ...states };
  for (const { store, after } of changed) next[store.name] = after;
  return next;
}

export class Model {
  private readonly cells = new Map<string, Cell>();
  readonly handlers = new HandlerTable(this.cells, (store) => this.add(store));
  readonly computing = new Computing(false);

  constructor(stores: Iterable<StoreDefinition>) {
    for (const store of stores) this.add(store);
  }

  private add(store: StoreDefinition): void {
    if (!this.cells.has(store.name)) this.cells.set(store.name, makeCell(this.cells.size, store, undefined));
  }

  /**
   * What an action makes of a state tree. Stores that are not in the tree had not joined: they do not handle it.
   * @throws what a handler throws, and FLOE_UNKNOWN_ACTION
   */
  apply(action: AnyAction, states: Readonly<Record<string, unknown>>): Computed {
    const { alone } = this.handlers.to(action);
    const touches = alone ? undefined : new KnownTouches();
    const after = computed(this, action, {
      stateOf: ({ store }) => states[store.name],
      isLeftOut: ({ store }) => !hasOwn(states, store.name),
      touches,
    });
    const changed = Array.from(after, ([{ store }, state]) => ({ store, before: states[store.name], after: state }));
    return { changed, touches: touches ?? alone!.cell.editing };
  }

  /** The stores that handle an action; none for an unknown action. */
  handlingStores(action: AnyAction): readonly string[] {
    try {
      return this.handlers.to(action).stores.map(({ cell }) => cell.store.name);
    } catch {
      return [];
    }
  }

  /** What an action makes of a store that is as it begins; nothing where it does nothing. */
  fromBeginning(store: StoreDefinition, action: AnyAction): { after?: unknown; error?: string } | undefined {
    const handling = this.handlingStores(action).includes(store.name);
    if (!handling) return undefined;
    const before = store.begin();
    try {
      const { changed } = this.apply(action, { [store.name]: before });
      return changed.length > 0 ? { after: changed[0].after } : undefined;
    } catch (error) {
      return { error: messageOf(error) };
    }
  }

  /** Whether a message says that a rule of a store does not hold. */
  isOfRule(message: string): boolean {
    for (const { store } of this.cells.values())
      for (const { name } of store.invariants) if (message.startsWith(brokenRule(name))) return true;
    return false;
  }

  /** The rules that do not hold in a state tree, of the stores with these names. */
  broken(names: Iterable<string>, states: Readonly<Record<string, unknown>>, type: string): FloeError[] {
    const changed: { store: StoreDefinition; after: unknown }[] = [];
    for (const name of names) {
      const cell = this.cells.get(name);
      if (cell) changed.push({ store: cell.store, after: states[name] });
    }
    return brokenBy(changed, type);
  }
}
