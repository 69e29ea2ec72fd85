// Stores join a runtime: those that it begins with, those of parts that are loaded later, and those of reloaded modules.
import { fieldsLost, nameTaken } from '../base/errors.js';
import { unnoted } from '../reactive/graph.js';
import { DEV } from '../base/mode.js';
import { guardData, hasOwn, isContainer } from '../data/plain.js';
import { checkKept, checkTables, type StoreDefinition } from '../model/store.js';
import { makeCell, type Cell } from './cell.js';
import { isThenable } from './compute.js';
import type { Inside } from './inside.js';
import type { FactName, StoreChange } from './transition.js';

export class Joining {
  /** Definitions of modules that were reloaded since, and what took their place. */
  private readonly retired = new Map<StoreDefinition, StoreDefinition>();

  constructor(
    private readonly kernel: Inside,
    private readonly initial: Readonly<Record<string, unknown>>,
  ) {}

  /** The cell of a store, which joins when it has not. */
  cell(store: StoreDefinition): Cell {
    const { kernel, initial } = this;
    const cell = kernel.cells.get(store.name);
    if (cell && (cell.store === store || this.retired.has(store) || store.internal)) return cell;
    // A run that was cancelled may still read: an error would have a loop that catches everything spin.
    if (kernel.isClosed)
      return this.add(store, hasOwn(initial, store.name) ? initial[store.name] : store.begin(), false);
    if (store.internal) return this.add(store, store.begin(), false);
    this.join([store], 'joined');
    return kernel.cells.get(store.name)!;
  }

  add(store: StoreDefinition, state: unknown, known: boolean, begun = state): Cell {
    const { kernel } = this;
    const cell = makeCell(kernel.cells.size, store, begun);
    kernel.cells.set(store.name, cell);
    kernel.views.add(cell, state, known);
    if (!store.internal) kernel.stated(cell, state);
    return cell;
  }

  join(stores: readonly StoreDefinition[], fact: FactName): void {
    const { kernel, initial } = this;
    const changed: StoreChange[] = [];
    const rehydrated: StoreChange[] = [];
    const late: (() => void)[] = [];
    const fresh = this.freshOf(stores);
    for (const store of fresh) {
      let state = hasOwn(initial, store.name) ? initial[store.name] : unnoted(() => store.begin());
      if (hasOwn(initial, store.name)) checkTables(store, state);
      guardData(state, { at: '', what: `The initial state of '${store.name}'` });
      checkKept(store, state);
      const begun = state;
      changed.push({ store, before: undefined, after: state, joined: true });
      for (const listener of kernel.listeners) {
        const stored = listener.begin?.(store, state) ?? state;
        if (stored === state) continue;
        if (isThenable(stored)) {
          late.push(() => kernel.use(listener.late!).fill(kernel.cells.get(store.name)!, stored));
          continue;
        }
        guardData(stored, { at: '', what: `The stored state of '${store.name}'` });
        rehydrated.push({ store, before: state, after: stored });
        state = stored;
      }
      this.add(store, state, true, begun);
    }
    if (changed.length === 0) return;
    kernel.record(kernel.ofFact(fact, changed, { by: 'runtime' }));
    if (rehydrated.length > 0) kernel.record(kernel.ofFact('rehydrated', rehydrated, { by: 'storage' }));
    for (const fill of late) fill();
    kernel.startTasks(fresh.flatMap((store) => store.tasks.filter(({ options }) => options.atStart)));
  }

  /**
   * Those that have not joined yet. In development a second definition with the same fields is taken for that of a
   * reloaded module; any other is an error, before anything joins.
   */
  private freshOf(stores: readonly StoreDefinition[]): StoreDefinition[] {
    const { kernel } = this;
    const fresh = stores.filter((store) => kernel.cells.get(store.name)?.store !== store && !this.retired.has(store));
    const names = new Set<string>();
    const reloaded: StoreDefinition[] = [];
    for (const store of fresh) {
      const { name } = store;
      const known = kernel.cells.get(name)?.store;
      if (names.size === names.add(name).size) throw nameTaken('The store', name);
      if (!known) continue;
      if (!DEV || known.internal || !sameFields(known, store)) throw nameTaken('The store', name);
      reloaded.push(store);
    }
    for (const store of reloaded) {
      kernel.reportOnce(`store ${store.name}`, () => nameTaken('The store', store.name, true));
      this.renew(store, false);
    }
    return fresh.filter((store) => !reloaded.includes(store));
  }

  /** Takes the definition of a reloaded module. @param notifyNow false inside a first read, which may be a rendering */
  renew(store: StoreDefinition, notifyNow = true): void {
    const { kernel } = this;
    const cell = kernel.cells.get(store.name);
    if (!cell) return this.join([store], 'joined');
    if (cell.store === store) return;
    if (notifyNow) kernel.leavePast();
    // Modules that were not reloaded still hold the old definition: it goes on standing for the store.
    this.retired.set(cell.store, store);
    cell.store = store;
    kernel.handlers.clear();
    kernel.views.renew((of) => of.store && this.successorOf(of.store)?.derivations.get(of.name));
    const complete = (): void => {
      const before = kernel.stateOf(cell);
      const after = this.completed(store, before);
      guardData(after, { at: '', what: `The state of '${store.name}'` });
      kernel.place([{ store, before, after }], 'renewed');
    };
    kernel.notifications.hold(() => (notifyNow ? complete() : kernel.atLive(complete)));
    if (notifyNow) kernel.notify();
    else void Promise.resolve().then(() => kernel.notify());
  }

  /** A state with the initial values of top-level fields that are new; lost ones are reported, and kept. */
  private completed(store: StoreDefinition, before: unknown): unknown {
    const fresh = unnoted(() => store.begin());
    if (!isContainer(fresh) || !isContainer(before) || Array.isArray(fresh) || Array.isArray(before)) return before;
    const lost = Object.keys(before).filter((key) => !hasOwn(fresh, key));
    if (lost.length > 0) this.kernel.problem(fieldsLost(store.name, lost));
    const added = Object.keys(fresh).filter((key) => !hasOwn(before, key));
    return added.length > 0 ? { ...before, ...Object.fromEntries(added.map((key) => [key, fresh[key]])) } : before;
  }

  /** What took the place of a definition when its module was reloaded, if it was. */
  successorOf(store: StoreDefinition): StoreDefinition | undefined {
    let next = this.retired.get(store);
    for (let one = next; one; one = this.retired.get(one)) next = one;
    return next;
  }
}

/** Whether two definitions of a store declare the same top-level fields. */
function sameFields(a: StoreDefinition, b: StoreDefinition): boolean {
  const [before, after] = unnoted(() => [a.begin(), b.begin()]);
  if (!isContainer(before) || !isContainer(after)) return typeof before === typeof after;
  const fields = (state: object): string => JSON.stringify(Object.keys(state).sort());
  return Array.isArray(before) === Array.isArray(after) && fields(before) === fields(after);
}
