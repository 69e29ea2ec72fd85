import {
  computed,
  customRef,
  effectScope,
  hasInjectionContext,
  inject,
  isProxy,
  provide,
  ReactiveEffect,
  type App,
  type InjectionKey,
  type Ref,
} from 'vue';
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
import { fromFirstRead, hydrationOf, takesOver } from './lifetime.js';

const RUNTIME: InjectionKey<Runtime> = Symbol('floe.runtime');

const adapter: FrameworkAdapter = {
  isProxy,
  // Vue offers no function for this. An effect of its own takes what is read, and is over at once.
  untracked<T>(fn: () => T): T {
    let result: T | undefined;
    const effect = effectScope(true).run(() => new ReactiveEffect(() => (result = fn())))!;
    try {
      effect.run();
    } finally {
      effect.stop();
    }
    return result as T;
  },
};

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
  withAdapter(runtime, adapter);
  if (app) app.provide(RUNTIME, runtime);
  else provide(RUNTIME, runtime);
}

/**
 * The runtime of the nearest provider, or the page's default one. Called in `setup`, as `inject` is.
 * @throws FLOE_OUTSIDE_COMPONENT elsewhere, FLOE_NO_RUNTIME on a server where none was provided
 * @example
 * const { trace } = useRuntime();
 */
export const useRuntime = (): Runtime => runtimeFor('useRuntime()');

/** @param call what asks for it, for the message */
function runtimeFor(call: string): Runtime {
  if (!hasInjectionContext()) throw outsideSetup(call, 'in setup, before anything that is awaited');
  return withAdapter(inject(RUNTIME, undefined) ?? unprovidedRuntime(), adapter);
}

/**
 * The value of a source, or of a function that reads sources, as a ref that cannot be set. The function may read refs and
 * props as well. What the selector throws is thrown where the value is read.
 * @throws FLOE_NOT_A_SOURCE for anything else, FLOE_OUTSIDE_COMPONENT outside of `setup`
 * @example
 * const picked = useSelection(pickedVisit);
 * const visit = useSelection((read) => read(visitById(props.id)));
 */
export function useSelection<T>(of: Source<T> | ((read: Read) => T)): Readonly<Ref<T>> {
  const runtime = runtimeFor('useSelection(...)');
  return readOnlyRef((track, trigger) => {
    const selected = new Selected(runtime, of, trigger, true);
    const begin = fromFirstRead(runtime, 'useSelection(...)', {
      begin: () => selected.follow(),
      end: () => selected.end(),
    });
    const isHydrating = hydrationOf(() => {
      const [before, now] = [outcomeOf(() => selected.beginning()), outcomeOf(() => selected.get())];
      if (!isSame(before, now)) trigger();
    });
    const value = (): T => (isHydrating() ? selected.beginning() : selected.get());
    if (!selected.isInline)
      return () => {
        begin();
        track();
        return value();
      };
    // The framework knows what else the function reads, and keeps its value meanwhile.
    let last: Outcome<T> | undefined;
    const outcome = computed(() => {
      track();
      const next = outcomeOf(value);
      return (last = last && isSame(last, next) ? last : next);
    });
    return () => {
      begin();
      if (!selected.isFollowed) return value();
      if (selected.isInvalid) trigger();
      const now = outcome.value;
      if ('error' in now) throw now.error;
      return now.value;
    };
  });
}

/**
 * A function that makes an action and dispatches it. A reactive object in its payload is copied: the state is plain data.
 * @throws FLOE_OUTSIDE_COMPONENT outside of `setup`
 * @example
 * const plan = useAction(visitPlanned);
 */
export function useAction<A extends readonly unknown[]>(creator: ActionMaker<A>): (...payload: A) => DispatchResult {
  return dispatcherOf(runtimeFor('useAction(...)'), creator);
}

/**
 * A function that runs a task. Where the run is, is in `task.status`; a failure that no caller waits for is reported.
 * @throws FLOE_OUTSIDE_COMPONENT outside of `setup`
 * @example
 * const load = useTask(loadVisits);
 * const status = useSelection(loadVisits.status);
 */
export function useTask<A extends readonly unknown[], T>(task: Task<A, T>): (...args: A) => Run<T> {
  return runnerOf(runtimeFor('useTask(...)'), task);
}

/**
 * Whether everything that is stored was read, as a ref: until then a page may show a placeholder. Always true on storages
 * that respond at once, without one, and in a component that took over what a server rendered: that stays on the page until
 * the stored state takes its place.
 * @throws FLOE_OUTSIDE_COMPONENT outside of `setup`
 * @example
 * const isReady = useReady();
 */
export function useReady(): Readonly<Ref<boolean>> {
  const runtime = runtimeFor('useReady()');
  const readiness = readinessOf(runtime);
  const tookOver = takesOver();
  return readOnlyRef((track, trigger) => {
    let stop: (() => void) | undefined;
    const begin = fromFirstRead(runtime, 'useReady()', {
      begin: () => (stop = readiness.watch(trigger)),
      end: () => stop?.(),
    });
    return () => {
      begin();
      track();
      return tookOver || readiness.isReady();
    };
  });
}

/** What a function gave: Vue keeps it as a value, so that an error is thrown where the value is read. */
type Outcome<T> = { readonly value: T } | { readonly error: unknown };

function outcomeOf<T>(fn: () => T): Outcome<T> {
  try {
    return { value: fn() };
  } catch (error) {
    return { error };
  }
}

const isSame = <T>(one: Outcome<T>, other: Outcome<T>): boolean =>
  'error' in one
    ? 'error' in other && Object.is(one.error, other.error)
    : 'value' in other && Object.is(one.value, other.value);

const readOnlyRef = <T>(make: (track: () => void, trigger: () => void) => () => T): Readonly<Ref<T>> =>
  customRef((track, trigger) => ({
    get: make(track, trigger),
    set: () => {
      throw new TypeError('A selection cannot be set: dispatch an action, and its value follows.');
    },
  }));
