import { createContext, createElement, useContext, useMemo, useSyncExternalStore, type ReactNode } from 'react';
import {
  dispatcherOf,
  holdOf,
  INLINE,
  readinessOf,
  runnerOf,
  selectedRecipe,
  unprovidedRuntime,
  type Readiness,
} from '../../core/internal.js';
import type { ActionMaker, DispatchResult, Read, Run, Runtime, Source, Task } from '../../core/index.js';

/** What a provider gives to the components below it. */
interface Provided {
  readonly runtime: Runtime;
  /** The components are rendered to text: they show the present state, not the one that a page hydrates with. */
  readonly toText: boolean;
}

const ProvidedContext = createContext<Provided | undefined>(undefined);

/** Where there is no document, components are rendered to text. */
const isServer = (): boolean => (globalThis as { readonly document?: object }).document === undefined;

/**
 * Gives the components below it a runtime. Without one they share the page's default runtime.
 * @param props.toText the components are rendered to text, and show the present state instead of the one that a page hydrates
 *   with; React does not say which it does. Default: where there is no document
 * @example
 * createRoot(element).render(<RuntimeProvider runtime={runtime}><ControlRoom /></RuntimeProvider>);
 */
export function RuntimeProvider({
  runtime,
  toText = isServer(),
  children,
}: {
  readonly runtime: Runtime;
  readonly toText?: boolean;
  readonly children?: ReactNode;
}): ReactNode {
  const value = useMemo(() => ({ runtime, toText }), [runtime, toText]);
  return createElement(ProvidedContext.Provider, { value }, children);
}

let shared: Provided | undefined;
const useProvided = (): Provided => useContext(ProvidedContext) ?? unprovided();

function unprovided(): Provided {
  const runtime = unprovidedRuntime();
  return (shared ??= { runtime, toText: false });
}

/**
 * The runtime of the nearest provider, or the page's default one.
 * @throws FLOE_NO_RUNTIME on a server where no provider stands above
 * @example
 * const { trace } = useRuntime();
 */
export const useRuntime = (): Runtime => useProvided().runtime;

/**
 * The value of a source, or of a function that reads sources; the component renders again when it becomes another one.
 * What the selector throws is thrown in rendering, for the nearest error boundary.
 * @throws FLOE_NOT_A_SOURCE for anything else
 * @example
 * const picked = useSelection(pickedVisit);
 * const free = useSelection((read) => read(freeBerths).length);
 */
export function useSelection<T>(of: Source<T> | ((read: Read) => T)): T {
  const { runtime, toText } = useProvided();
  const recipe = selectedRecipe(of);
  // Sources with equal recipes are as good as the same; a function written in the component is another one each time.
  const key = recipe.of === INLINE ? of : recipe.key;
  // eslint-disable-next-line react-hooks/exhaustive-deps -- the recipe is told by these two
  const hold = useMemo(() => holdOf(runtime, recipe), [runtime, recipe.of, key]);
  return useSyncExternalStore(hold.subscribe, hold.get, toText ? hold.get : hold.beginning);
}

/**
 * A function that makes an action and dispatches it.
 * @example
 * const plan = useAction(visitPlanned);
 * <button onClick={() => plan(visit)}>Plan</button>
 */
export function useAction<A extends readonly unknown[]>(creator: ActionMaker<A>): (...payload: A) => DispatchResult {
  const runtime = useRuntime();
  return useMemo(() => dispatcherOf(runtime, creator), [runtime, creator]);
}

/**
 * A function that runs a task. Where the run is, is in `task.status`; a failure that no caller waits for is reported.
 * @example
 * const load = useTask(loadVisits);
 * const { phase } = useSelection(loadVisits.status);
 * <button disabled={phase === 'running'} onClick={() => void load(day)}>Load</button>
 */
export function useTask<A extends readonly unknown[], T>(task: Task<A, T>): (...args: A) => Run<T> {
  const runtime = useRuntime();
  return useMemo(() => runnerOf(runtime, task), [runtime, task]);
}

/**
 * Whether everything that is stored was read: until then a page may show a placeholder. Always true on storages that
 * respond at once, without one, and in a component that took over what a server rendered: that stays on the page until the
 * stored state takes its place.
 * @example
 * if (!useReady()) return <Skeleton />;
 */
export function useReady(): boolean {
  const { runtime, toText } = useProvided();
  const { watch, isReady, wasReady } = useMemo(() => takenOver(readinessOf(runtime)), [runtime]);
  return useSyncExternalStore(watch, isReady, toText ? isReady : wasReady);
}

/** A page hydrates with what the server rendered, which had nothing to wait for. It stays so. */
function takenOver({ watch, isReady }: Readiness): Readiness & { readonly wasReady: () => boolean } {
  let tookOver = false;
  return { watch, isReady: () => tookOver || isReady(), wasReady: () => (tookOver = true) };
}
