// What a model declares, and how it hangs together.
import {
  DERIVATION,
  definitionOf,
  messageOf,
  SOURCE,
  STILL,
  type Derivation,
  type DeclaredTask,
  type Source,
} from '../core/internal.js';
import { createRuntime, type Runtime } from '../core/index.js';
import { storeDeclared, taskDeclared, type Model, type ModelSelector } from '../inspector/ends/index.js';
import type { ModelModule } from './model.js';

/** What a model declares, and what its selectors read in the state that its stores begin with. */
export function graphOf({ stores: all, exported }: ModelModule): Model {
  const stores = all.map((store) => definitionOf(store));
  const derivations = new Set([
    ...stores.flatMap((store) => [...store.derivations.values()]),
    ...exported.flatMap((one) => (one as { [DERIVATION]?: Derivation } | null | undefined)?.[DERIVATION] ?? []),
  ]);
  const tasks = new Set([...stores.flatMap((store) => store.tasks), ...exported.flatMap((one) => taskOf(one) ?? [])]);
  // No task of the application runs.
  const runtime = createRuntime({ stores: all, [STILL]: true, onProblem: () => undefined });
  const graph = {
    stores: stores.map(storeDeclared),
    selectors: Array.from(derivations, (one) => selectorShown(runtime, one)),
    tasks: Array.from(tasks, taskDeclared),
  };
  void runtime.close();
  return graph;
}

/** What a task declares, where an export is one. */
function taskOf(one: unknown): DeclaredTask | undefined {
  const { definition } = (typeof one === 'function' ? one : {}) as { readonly definition?: DeclaredTask };
  return definition && 'feature' in definition ? definition : undefined;
}

function selectorShown(runtime: Runtime, { name, store, derive }: Derivation): ModelSelector {
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
