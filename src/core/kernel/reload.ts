// Development only: a module that was reloaded declares its store once more, and its definition takes the place of the other.
import { fieldsLost, nameTaken } from '../base/errors.js';
import { hasOwn, isContainer } from '../data/plain.js';
import { guardData } from '../data/guard.js';
import type { Derivation } from '../model/source.js';
import { StoreDefinition } from '../model/store.js';
import type { Entry } from '../reading/entry.js';
import { DIRTY, unnoted } from '../reactive/graph.js';
import type { Extensible } from './feature.js';
import { place } from './stating.js';
import { reportOnce } from './reported.js';

/**
 * Takes the definition of a reloaded module.
 * @param isAsked false where its module was not renewed explicitly: inside a first read, which may be a rendering
 */
export function renew(kernel: Extensible, store: StoreDefinition, isAsked: boolean): void {
  const { joining } = kernel;
  const cell = kernel.cells.get(store.name);
  if (!cell) return joining.join([store], 'joined');
  if (cell.store === store) return;
  if (isAsked) kernel.features.leavePast();
  else reportOnce(kernel, nameTaken('The store', store.name, true));
  // Modules that were not reloaded still hold the old definition: it goes on standing for the store.
  joining.retired.set(cell.store, store);
  cell.store = store;
  kernel.handlers.clear();
  // The selectors of the reloaded module derive the values of those that it declared before.
  deriveAgain(kernel, ({ recipe: { of } }) => {
    const next = of instanceof StoreDefinition ? of : renewedSelector(kernel, of);
    return next === of ? undefined : next;
  });
  const complete = (): void => {
    const before = kernel.views.stateOf(cell);
    const after = completed(store, before, (lost) => kernel.problem(fieldsLost(store.name, lost)));
    guardData(after, { at: '', what: `The state of '${store.name}'` });
    place(kernel, [{ store, before, after }], 'renewed', { redo: (state) => completed(store, state) });
  };
  kernel.notifications.hold(() => (isAsked ? complete() : kernel.views.atLive(complete)));
  if (isAsked) kernel.notifications.notify();
  else void Promise.resolve().then(() => kernel.notifications.notify());
}

/**
 * Has values that are kept be derived again, by what is declared now.
 * @param declared what an entry derives by from now on; nothing for one that stays as it is
 */
export function deriveAgain({ views }: Extensible, declared: (entry: Entry) => Entry['of'] | undefined): void {
  for (const { reading } of new Set([views.screen, views.live]))
    for (const entry of [...reading.entries()]) {
      const of = declared(entry);
      if (!of) continue;
      entry.of = of;
      entry.begin();
      entry.stale(DIRTY);
    }
}

/** The selector of its store that a reloaded module declares under its name; else itself. */
export const renewedSelector = (kernel: Extensible, of: Derivation): Derivation =>
  (of.store && successorOf(kernel, of.store)?.derivations.get(of.name)) ?? of;

/** A state with the initial values of top-level fields that are new; lost ones are reported, and kept. */
function completed(store: StoreDefinition, before: unknown, tell?: (lost: readonly string[]) => void): unknown {
  const fresh = unnoted(() => store.begin());
  if (!isContainer(fresh) || !isContainer(before) || Array.isArray(fresh) || Array.isArray(before)) return before;
  const lost = Object.keys(before).filter((key) => !hasOwn(fresh, key));
  if (lost.length > 0) tell?.(lost);
  const added = Object.keys(fresh).filter((key) => !hasOwn(before, key));
  return added.length > 0 ? { ...before, ...Object.fromEntries(added.map((key) => [key, fresh[key]])) } : before;
}

/** What took the place of a definition when its module was reloaded, if it was. */
export function successorOf({ joining: { retired } }: Extensible, store: StoreDefinition): StoreDefinition | undefined {
  let next = retired.get(store);
  for (let one = next; one; one = retired.get(one)) next = one;
  // The definitions between them are needed no more.
  if (next) retired.set(store, next);
  return next;
}

/** Whether a second definition of a store is that of a reloaded module: it declares the same top-level fields. */
export function isReload(known: StoreDefinition, store: StoreDefinition): boolean {
  if (known.internal) return false;
  const [before, after] = unnoted(() => [known.begin(), store.begin()]);
  if (!isContainer(before) || !isContainer(after)) return typeof before === typeof after;
  const fields = (state: object): string => JSON.stringify(Object.keys(state).sort());
  return Array.isArray(before) === Array.isArray(after) && fields(before) === fields(after);
}
