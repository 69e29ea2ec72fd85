import { getContext, setContext } from 'svelte';
import { createSubscriber } from 'svelte/reactivity';
import { dispatcherOf, readinessOf, runnerOf, Selected } from '../../core/internal.js';
import {
  defaultRuntime,
  type ActionCreator,
  type DispatchResult,
  type Read,
  type Run,
  type Runtime,
  type Source,
  type Task,
} from '../../core/index.js';

const RUNTIME = Symbol('floe.runtime');

/** A value that templates, `$derived` and `$effect` follow. */
export interface Current<T> {
  /** The value now. */
  readonly current: T;
}

/**
 * Gives the components below a runtime; called while a component is initialised. Without one they share the page's default
 * runtime.
 * @example
 * <script>
 *   provideRuntime(runtime);
 * </script>
 */
export function provideRuntime(runtime: Runtime): void {
  setContext(RUNTIME, runtime);
}

/**
 * The runtime of the nearest provider, or the page's default one.
 * @throws FLOE_NO_RUNTIME on a server where none was provided
 * @example
 * const { trace } = useRuntime();
 */
export const useRuntime = (): Runtime => getContext<Runtime | undefined>(RUNTIME) ?? defaultRuntime();

/**
 * The value of a source, or of a function that reads sources, as `current`. The function may read `$state` and props as
 * well; it runs whenever `current` is read, so use a selector for what takes long. What the selector throws is thrown where
 * `current` is read.
 * @throws FLOE_NOT_A_SOURCE for anything else
 * @example
 * const picked = useSelection(pickedVisit);
 * const visit = useSelection((read) => read(visitById(id)));
 * // {picked.current} {visit.current.name}
 */
export function useSelection<T>(of: Source<T> | ((read: Read) => T)): Current<T> {
  let changed: () => void = () => undefined;
  const selected = new Selected(useRuntime(), of, () => changed());
  const subscribe = createSubscriber((update) => {
    changed = update;
    selected.follow();
    return () => selected.end();
  });
  return {
    get current() {
      subscribe();
      return selected.get();
    },
  };
}

/**
 * A function that makes an action and dispatches it.
 * @example
 * const plan = useAction(visitPlanned);
 */
export function useAction<A extends readonly unknown[]>(
  creator: ActionCreator<string, A>,
): (...payload: A) => DispatchResult {
  return dispatcherOf(useRuntime(), creator);
}

/**
 * A function that runs a task. Where the run is, is in `task.status`; a failure that no caller waits for is reported.
 * @example
 * const load = useTask(loadVisits);
 * const status = useSelection(loadVisits.status);
 */
export function useTask<A extends readonly unknown[], T>(task: Task<A, T>): (...args: A) => Run<T> {
  return runnerOf(useRuntime(), task);
}

/**
 * Whether everything that is stored was read, as `current`: until then a page may show a placeholder. Always true on
 * storages that respond at once, and without one.
 * @example
 * const ready = useReady();
 * // {#if ready.current} ... {/if}
 */
export function useReady(): Current<boolean> {
  const readiness = readinessOf(useRuntime());
  const subscribe = createSubscriber((update) => readiness.watch(update));
  return {
    get current() {
      subscribe();
      return readiness.isReady();
    },
  };
}
