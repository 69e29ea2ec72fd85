// What a model declares, and how it hangs together.
import {
  DERIVATION,
  definitionOf,
  messageOf,
  SOURCE,
  STILL,
  typesOf,
  type Derivation,
  type DeclaredTask,
  type Source,
  type StoreDefinition,
} from '../core/internal.js';
import { createRuntime, type Runtime } from '../core/index.js';
import type { ModelModule } from './model.js';

/** A store, as it is declared. */
interface StoreShown {
  readonly name: string;
  /** Whether something of it is kept between sessions. */
  readonly kept: boolean;
  readonly rules: readonly string[];
  /** The types of its own actions. */
  readonly actions: readonly string[];
  /** The types of actions from elsewhere that it handles. */
  readonly handles: readonly string[];
}

export interface SelectorShown {
  readonly name: string;
  /** The names of the stores and selectors that it reads in the state that the stores begin with. */
  readonly reads: readonly string[];
  /** Whether it takes arguments: then only what is declared is known of what it reads. */
  readonly takesArguments: boolean;
  /** Why what it reads could not be found out. */
  readonly problem?: string;
}

export interface TaskShown {
  readonly name: string;
  readonly store?: string;
  /** The types of the actions that start it. */
  readonly when: readonly string[];
  readonly atStart: boolean;
}

/** What a model declares. */
export interface Graph {
  readonly stores: readonly StoreShown[];
  readonly selectors: readonly SelectorShown[];
  readonly tasks: readonly TaskShown[];
}

/** What a model declares, and what its selectors read in the state that its stores begin with. */
export function graphOf({ stores: all, exported }: ModelModule): Graph {
  const stores = all.map((store) => definitionOf(store));
  const derivations = new Set([
    ...stores.flatMap((store) => [...store.derivations.values()]),
    ...exported.flatMap((one) => (one as { [DERIVATION]?: Derivation } | null | undefined)?.[DERIVATION] ?? []),
  ]);
  const tasks = new Set([...stores.flatMap((store) => store.tasks), ...exported.flatMap((one) => taskOf(one) ?? [])]);
  // No task of the application runs.
  const runtime = createRuntime({ stores: all, [STILL]: true, onProblem: () => undefined });
  const graph = {
    stores: stores.map(storeShown),
    selectors: Array.from(derivations, (one) => selectorShown(runtime, one)),
    tasks: Array.from(tasks, taskShown),
  };
  void runtime.close();
  return graph;
}

/** What a task declares, where an export is one. */
function taskOf(one: unknown): DeclaredTask | undefined {
  const { definition } = (typeof one === 'function' ? one : {}) as { readonly definition?: DeclaredTask };
  return definition && 'feature' in definition ? definition : undefined;
}

const storeShown = (store: StoreDefinition): StoreShown => {
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
};

/** Whether a change handles it, and not only a task. */
const isHandled = (store: StoreDefinition, type: string, starts: ReadonlySet<string>): boolean =>
  !starts.has(type) || !store.fromElsewhere(type)[Symbol.iterator]().next().done;

function selectorShown(runtime: Runtime, { name, store, derive }: Derivation): SelectorShown {
  if (store) return { name, reads: [store.name], takesArguments: derive.length > 1 };
  if (derive.length > 1) return { name, reads: [], takesArguments: true };
  const reads = new Set<string>();
  const read = (source: Source<unknown>): unknown => {
    const { of } = source[SOURCE];
    reads.add(of.name);
    return runtime.read(source);
  };
  try {
    (derive as unknown as (read: unknown) => unknown)(read);
  } catch (error) {
    return { name, reads: [...reads], takesArguments: false, problem: messageOf(error) };
  }
  return { name, reads: [...reads], takesArguments: false };
}

const taskShown = ({ name, store, options: { when, atStart = false } }: DeclaredTask): TaskShown => ({
  name,
  ...(store && { store: store.name }),
  when: when ? typesOf(when) : [],
  atStart,
});
