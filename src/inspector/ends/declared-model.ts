// What stores, selectors and tasks declare, by name.
import { typesOf, type DeclaredTask, type StoreDefinition } from '../../core/internal.js';
import type { ModelStore, ModelTask } from '../protocol/protocol.js';

export function storeDeclared(store: StoreDefinition): ModelStore {
  const own = new Set(store.types().filter((type) => type.startsWith(`${store.name}.`)));
  const starts = new Set(store.tasks.flatMap(({ options: { when } }) => (when ? typesOf(when) : [])));
  const elsewhere = store.typesFromElsewhere().filter((type) => !own.has(type) && isHandled(store, type, starts));
  return {
    name: store.name,
    kept: store.kept !== undefined,
    rules: store.invariants.map(({ name }) => name),
    actions: [...own],
    handles: [...new Set(elsewhere)],
  };
}

/** Whether a change handles it, and not only a task. */
const isHandled = (store: StoreDefinition, type: string, starts: ReadonlySet<string>): boolean =>
  !starts.has(type) || !store.fromElsewhere(type)[Symbol.iterator]().next().done;

export const taskDeclared = ({ name, store, options: { when, atStart = false } }: DeclaredTask): ModelTask => ({
  name,
  ...(store && { store: store.name }),
  when: when ? typesOf(when) : [],
  atStart,
});
