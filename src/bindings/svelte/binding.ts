import { getContext, setContext, untrack } from 'svelte';
import { createSubscriber, SvelteDate, SvelteMap, SvelteSet } from 'svelte/reactivity';
import {
  dispatcherOf,
  withAdapter,
  outsideSetup,
  readinessOf,
  runnerOf,
  Selected,
  unprovidedRuntime,
  type FrameworkAdapter,
} from '../../core/internal.js';
import type { ActionMaker, DispatchResult, Read, Run, Runtime, Source, Task } from '../../core/index.js';
import { hydrationOf } from './hydration.js';

const RUNTIME = Symbol('floe.runtime');

const adapter: FrameworkAdapter = {
  untracked: untrack,
  isProxy: (value) =>
    value instanceof SvelteMap || value instanceof SvelteSet || value instanceof SvelteDate || isStateProxy(value),
};

/**
 * Whether it is a proxy of `$state`. Svelte has no function for this, but its proxies refuse what every other object accepts:
 * the prototype that it has already (`state_prototype_fixed` in the errors of Svelte).
 */
function isStateProxy(value: object): boolean {
  try {
    Object.setPrototypeOf(value, Object.getPrototypeOf(value) as object | null);
    return false;
  } catch {
    return true;
  }
}

/** A value that templates, `$derived` and `$effect` follow. */
export interface Current<T> {
  /** The value now. */
  readonly current: T;
}

/**
 * Gives the components below a runtime; called while a component is initialised. Without one they share the page's default
 * runtime.
 * @throws FLOE_OUTSIDE_COMPONENT elsewhere
 * @example
 * <script>
 *   provideRuntime(runtime);
 * </script>
 */
export function provideRuntime(runtime: Runtime): void {
  withAdapter(runtime, adapter);
  inComponent('provideRuntime(...)', () => setContext(RUNTIME, runtime));
}

/**
 * The runtime of the nearest provider, or the page's default one. Called while a component is initialised.
 * @throws FLOE_OUTSIDE_COMPONENT elsewhere, FLOE_NO_RUNTIME on a server where none was provided
 * @example
 * const { trace } = useRuntime();
 */
export const useRuntime = (): Runtime => runtimeFor('useRuntime()');

/** @param call what asks for it, for the message */
const runtimeFor = (call: string): Runtime =>
  withAdapter(inComponent(call, () => getContext<Runtime | undefined>(RUNTIME)) ?? unprovidedRuntime(), adapter);

function inComponent<T>(call: string, fn: () => T): T {
  try {
    return fn();
  } catch {
    // The framework refuses a context outside of components, and nothing else.
    throw outsideSetup(call, 'at the top level of the <script> of a component');
  }
}

/**
 * The value of a source, or of a function that reads sources, as `current`. The function may read `$state` and props as
 * well; it runs whenever `current` is read, so use a selector for what takes long. What the selector throws is thrown where
 * `current` is read.
 * @throws FLOE_NOT_A_SOURCE for anything else, FLOE_OUTSIDE_COMPONENT where no component is initialised
 * @example
 * const picked = useSelection(pickedVisit);
 * const visit = useSelection((read) => read(visitById(id)));
 * // {picked.current} {visit.current.name}
 */
export function useSelection<T>(of: Source<T> | ((read: Read) => T)): Current<T> {
  const runtime = runtimeFor('useSelection(...)');
  let changed: () => void = () => undefined;
  const selected = new Selected(runtime, of, () => changed(), false);
  const isHydrating = hydrationOf(() => changed());
  const subscribe = createSubscriber((update) => {
    changed = update;
    selected.follow();
    return () => selected.end();
  });
  return {
    get current() {
      subscribe();
      return isHydrating() ? selected.beginning() : selected.get();
    },
  };
}

/**
 * A function that makes an action and dispatches it. `$state` in its payload is copied: the state is plain data.
 * @throws FLOE_OUTSIDE_COMPONENT where no component is initialised
 * @example
 * const plan = useAction(visitPlanned);
 */
export function useAction<A extends readonly unknown[]>(creator: ActionMaker<A>): (...payload: A) => DispatchResult {
  return dispatcherOf(runtimeFor('useAction(...)'), creator);
}

/**
 * A function that runs a task. Where the run is, is in `task.status`; a failure that no caller waits for is reported.
 * @throws FLOE_OUTSIDE_COMPONENT where no component is initialised
 * @example
 * const load = useTask(loadVisits);
 * const status = useSelection(loadVisits.status);
 */
export function useTask<A extends readonly unknown[], T>(task: Task<A, T>): (...args: A) => Run<T> {
  return runnerOf(runtimeFor('useTask(...)'), task);
}

/**
 * Whether everything that is stored was read, as `current`: until then a page may show a placeholder. Always true on
 * storages that respond at once, without one, and in a component that took over what a server rendered: that stays on the
 * page until the stored state takes its place.
 * @throws FLOE_OUTSIDE_COMPONENT where no component is initialised
 * @example
 * const ready = useReady();
 * // {#if ready.current} ... {/if}
 */
export function useReady(): Current<boolean> {
  const readiness = readinessOf(runtimeFor('useReady()'));
  const tookOver = hydrationOf(() => undefined)();
  const subscribe = createSubscriber((update) => readiness.watch(update));
  return {
    get current() {
      subscribe();
      return tookOver || readiness.isReady();
    },
  };
}
