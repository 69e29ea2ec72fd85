import {
  computed,
  getCurrentInstance,
  getCurrentScope,
  inject,
  onBeforeMount,
  onMounted,
  onScopeDispose,
  provide,
  shallowRef,
  type App,
  type ComputedRef,
  type InjectionKey,
} from 'vue';
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

const RUNTIME: InjectionKey<Runtime> = Symbol('floe.runtime');

/**
 * Gives the components of an app a runtime, or in `setup` the components below. Without one they share the page's default
 * runtime.
 * @param app default: the component whose `setup` runs
 * @example
 * const app = createApp(ControlRoom);
 * provideRuntime(runtime, app);
 * app.mount('#root');
 */
export function provideRuntime(runtime: Runtime, app?: App): void {
  if (app) app.provide(RUNTIME, runtime);
  else provide(RUNTIME, runtime);
}

/**
 * The runtime of the nearest provider, or the page's default one.
 * @throws FLOE_NO_RUNTIME on a server where none was provided
 * @example
 * const { trace } = useRuntime();
 */
export const useRuntime = (): Runtime => inject(RUNTIME, undefined) ?? defaultRuntime();

/**
 * The value of a source, or of a function that reads sources, as a ref. The function may read refs and props as well. What
 * the selector throws is thrown where the value is read.
 * @throws FLOE_NOT_A_SOURCE for anything else
 * @example
 * const picked = useSelection(pickedVisit);
 * const visit = useSelection((read) => read(visitById(props.id)));
 */
export function useSelection<T>(of: Source<T> | ((read: Read) => T)): Readonly<ComputedRef<T>> {
  const { track, change } = versions();
  const selected = new Selected(useRuntime(), of, change);
  const isHydrating = hydrates(change);
  follow(
    () => selected.follow(),
    () => selected.end(),
  );
  return computed(() => {
    track();
    return isHydrating() ? selected.beginning() : selected.get();
  });
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
 * Whether everything that is stored was read, as a ref: until then a page may show a placeholder. Always true on storages
 * that respond at once, and without one.
 * @example
 * const isReady = useReady();
 */
export function useReady(): Readonly<ComputedRef<boolean>> {
  const readiness = readinessOf(useRuntime());
  const { track, change } = versions();
  const isHydrating = hydrates(change);
  let stop: (() => void) | undefined;
  follow(
    () => (stop = readiness.watch(change)),
    () => stop?.(),
  );
  return computed(() => {
    track();
    return isHydrating() || readiness.isReady();
  });
}

/** Makes what is computed invalid: what calls `track` is computed again after `change`. */
function versions(): { readonly track: () => number; readonly change: () => void } {
  let count = 0;
  const version = shallowRef(0);
  return {
    track: () => version.value,
    // Set without being read: an effect that dispatches does not depend on what it changes.
    change: () => {
      version.value = ++count;
    },
  };
}

/** Begins to follow where there is an end: not in components that are rendered on a server. */
function follow(begin: () => void, end: () => void): void {
  if (getCurrentInstance()) onBeforeMount(begin);
  else if (getCurrentScope()) begin();
  if (getCurrentScope()) onScopeDispose(end);
}

/** Whether the component takes over what a server rendered: until it is mounted it shows what the server did. */
function hydrates(over: () => void): () => boolean {
  // An instance whose node has an element before it is mounted has found it on the page.
  let isHydrating = Boolean(getCurrentInstance()?.vnode.el);
  if (isHydrating)
    onMounted(() => {
      isHydrating = false;
      over();
    });
  return () => isHydrating;
}
