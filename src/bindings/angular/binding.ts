import {
  computed,
  DestroyRef,
  inject,
  InjectionToken,
  makeEnvironmentProviders,
  signal,
  untracked,
  type EnvironmentProviders,
  type Signal,
} from '@angular/core';
import { dispatcherOf, readinessOf, runnerOf, Selected, unprovidedRuntime, withAdapter } from '../../core/internal.js';
import type { ActionMaker, DispatchResult, Read, Run, Runtime, Source, Task } from '../../core/index.js';

const RUNTIME = new InjectionToken<Runtime>('floe.runtime', { providedIn: 'root', factory: unprovidedRuntime });

const adapter = { untracked };

/**
 * Gives an application, or a route, a runtime. Without one all share the page's default runtime.
 * @example
 * bootstrapApplication(ControlRoom, { providers: [provideRuntime(runtime)] });
 */
export const provideRuntime = (runtime: Runtime): EnvironmentProviders =>
  makeEnvironmentProviders([{ provide: RUNTIME, useValue: runtime }]);

/**
 * The runtime that was provided, or the page's default one. Called in an injection context, as `inject` is.
 * @throws FLOE_NO_RUNTIME on a server where none was provided
 * @example
 * private readonly runtime = injectRuntime();
 */
export const injectRuntime = (): Runtime => withAdapter(inject(RUNTIME), adapter);

/**
 * The value of a source, or of a function that reads sources, as a signal. The function may read signals as well. What the
 * selector throws is thrown where the signal is read.
 * @throws FLOE_NOT_A_SOURCE for anything else
 * @example
 * readonly picked = injectSelection(pickedVisit);
 * readonly visit = injectSelection((read) => read(visitById(this.id())));
 */
export function injectSelection<T>(of: Source<T> | ((read: Read) => T)): Signal<T> {
  const version = signal(0);
  const selected = new Selected(injectRuntime(), of, () => version.update((count) => count + 1), true);
  selected.follow();
  inject(DestroyRef).onDestroy(() => selected.end());
  return computed(() => {
    // Read for its own sake: the value is computed again when it is another number.
    version();
    return selected.get();
  });
}

/**
 * A function that makes an action and dispatches it.
 * @example
 * readonly plan = injectAction(visitPlanned);
 */
export function injectAction<A extends readonly unknown[]>(creator: ActionMaker<A>): (...payload: A) => DispatchResult {
  return dispatcherOf(injectRuntime(), creator);
}

/**
 * A function that runs a task. Where the run is, is in `task.status`; a failure that no caller waits for is reported.
 * @example
 * readonly load = injectTask(loadVisits);
 * readonly status = injectSelection(loadVisits.status);
 */
export function injectTask<A extends readonly unknown[], T>(task: Task<A, T>): (...args: A) => Run<T> {
  return runnerOf(injectRuntime(), task);
}

/**
 * Whether everything that is stored was read, as a signal: until then a page may show a placeholder. Always true on
 * storages that respond at once, and without one.
 * @example
 * readonly isReady = injectReady();
 */
export function injectReady(): Signal<boolean> {
  const readiness = readinessOf(injectRuntime());
  const isReady = signal(readiness.isReady());
  inject(DestroyRef).onDestroy(readiness.watch(() => isReady.set(readiness.isReady())));
  return isReady.asReadonly();
}
