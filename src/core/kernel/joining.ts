// Stores join a runtime: those that it begins with, and those of parts that are loaded later.
import { nameTaken } from '../base/errors.js';
import { unnoted } from '../reactive/graph.js';
import { DEV } from '../base/mode.js';
import { hasOwn } from '../data/plain.js';
import { guardData } from '../data/guard.js';
import type { StoreDefinition } from '../model/store.js';
import { checkKept, checkTables } from '../model/store-checks.js';
import { makeCell, type Cell } from './cell.js';
import type { Extensible, Joiner } from './feature.js';
import { isReload, renew } from './reload.js';
import { stated } from './stating.js';
import type { FactName } from './transition.js';

export class Joining implements Joiner {
  readonly retired = new WeakMap<StoreDefinition, StoreDefinition>();

  constructor(
    private readonly kernel: Extensible,
    private readonly cells: Map<string, Cell>,
    private readonly initial: Readonly<Record<string, unknown>>,
  ) {}

  /** The cell of a store, which joins when it has not. */
  cell(store: StoreDefinition): Cell {
    const cell = this.cells.get(store.name);
    if (cell && (cell.store === store || this.retired.has(store) || store.internal)) return cell;
    // A run that was cancelled may still read: an error would have a loop that catches everything spin.
    if (this.kernel.isClosed || store.internal) return this.add(store, this.initialOf(store), false);
    this.join([store], 'joined');
    return this.cells.get(store.name)!;
  }

  private initialOf(store: StoreDefinition): unknown {
    const { name, internal } = store;
    return !internal && hasOwn(this.initial, name)
      ? store.completeWith(this.initial[name])
      : unnoted(() => store.begin());
  }

  add(store: StoreDefinition, state: unknown, known: boolean, begun = state): Cell {
    const { cells, kernel } = this;
    const cell = makeCell(cells.size, store, begun);
    cells.set(store.name, cell);
    kernel.views.add(cell, state, known);
    if (!store.internal) stated(kernel, cell, state, { joins: true });
    return cell;
  }

  join(stores: readonly StoreDefinition[], fact: FactName): void {
    const { kernel } = this;
    const fresh = this.freshOf(stores);
    if (fresh.length === 0) return;
    // All of them join, or none does.
    const begun = fresh.map((store) => ({ store, state: this.initialOf(store) }));
    if (DEV) for (const { store, state } of begun) check(store, state, this.initial);
    const recording = kernel.recorder?.joining();
    for (const { store, state } of begun)
      this.add(store, recording ? recording.begin(store, state) : state, true, state);
    recording?.end(fact);
    kernel.features.startTasks(fresh.flatMap((store) => store.tasks.filter(({ options }) => options.atStart)));
  }

  /**
   * Those that have not joined yet. In development a second definition with the same fields is taken for that of a
   * reloaded module; any other is an error, before anything joins.
   */
  private freshOf(stores: readonly StoreDefinition[]): StoreDefinition[] {
    const names = new Set<string>();
    const fresh = stores.filter((store) => this.cells.get(store.name)?.store !== store && !this.retired.has(store));
    const reloaded: StoreDefinition[] = [];
    for (const store of fresh) {
      const { name } = store;
      const known = this.cells.get(name)?.store;
      if (names.size === names.add(name).size || (known && !(DEV && isReload(known, store))))
        throw nameTaken('The store', name);
      if (known) reloaded.push(store);
    }
    if (DEV) for (const store of reloaded) renew(this.kernel, store, false);
    return DEV ? fresh.filter((store) => !reloaded.includes(store)) : fresh;
  }
}

/** Development only. */
function check(store: StoreDefinition, state: unknown, initial: Readonly<Record<string, unknown>>): void {
  if (hasOwn(initial, store.name)) checkTables(store, state);
  guardData(state, { at: '', what: `The initial state of '${store.name}'` });
  checkKept(store, state);
}
