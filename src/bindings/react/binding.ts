import {
  createContext,
  createElement,
  useCallback,
  useContext,
  useMemo,
  useSyncExternalStore,
  type ReactNode,
} from 'react';
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
import { inlineSource, recipeOf, SOURCE } from '../../core/source.js';

const RuntimeContext = createContext<Runtime | undefined>(undefined);

/** Gives the components below it a runtime. Without one they share the page's default runtime. */
export const RuntimeProvider = ({
  runtime,
  children,
}: {
  readonly runtime: Runtime;
  readonly children?: ReactNode;
}): ReactNode => createElement(RuntimeContext.Provider, { value: runtime }, children);

/** The runtime of the nearest provider, or the page's default one. */
export const useRuntime = (): Runtime => useContext(RuntimeContext) ?? defaultRuntime();

/**
 * The value of a source, or of a function that reads sources; the component renders again when it becomes another one.
 * @example
 * const picked = useSelection(pickedVisit);
 * const free = useSelection((read) => read(freeBerths).length);
 */
export function useSelection<T>(of: Source<T> | ((read: Read) => T)): T {
  const runtime = useRuntime();
  const source = useStableSource(of);
  const subscribe = useCallback((notify: () => void) => runtime.watch(source, notify), [runtime, source]);
  const read = useCallback(() => runtime.read(source), [runtime, source]);
  return useSyncExternalStore(subscribe, read, read);
}

/** The same source over renderings, as long as it gives the same value: so that nothing is subscribed anew in vain. */
function useStableSource<T>(of: Source<T> | ((read: Read) => T)): Source<T> {
  const source = SOURCE in of ? of : typeof of === 'function' ? inlineSource(of) : of;
  const recipe = recipeOf(source);
  // eslint-disable-next-line react-hooks/exhaustive-deps -- sources with equal recipes are as good as the same
  return useMemo(() => source, [recipe.of, recipe.key]);
}

/**
 * A function that makes an action and dispatches it.
 * @example
 * const plan = useAction(visitPlanned);
 * <button onClick={() => plan(visit)}>Plan</button>
 */
export function useAction<A extends readonly unknown[]>(
  creator: ActionCreator<string, A>,
): (...payload: A) => DispatchResult {
  const runtime = useRuntime();
  return useCallback((...payload: A) => runtime.dispatch(creator(...payload)), [runtime, creator]);
}

/**
 * A function that runs a task. Where the run is, is in `task.status`; a failure that nobody waits for is reported.
 * @example
 * const load = useTask(loadVisits);
 * const { phase } = useSelection(loadVisits.status);
 * <button disabled={phase === 'running'} onClick={() => void load(day)}>Load</button>
 */
export function useTask<A extends readonly unknown[], T>(task: Task<A, T>): (...args: A) => Run<T> {
  const runtime = useRuntime();
  return useCallback((...args: A) => runtime.run(task(...args)), [runtime, task]);
}

/** What `runtime.persistence` offers, as far as this binding needs it. */
interface Keeping {
  readonly status: string;
  watch(listener: () => void): () => void;
}

/**
 * Whether everything that is stored was read: until then a page may show a placeholder. Always true on storages that
 * answer at once, and without one.
 * @example
 * if (!useReady()) return <Skeleton />;
 */
export function useReady(): boolean {
  const { persistence } = useRuntime() as Runtime & { readonly persistence?: Keeping };
  const watch = useCallback((listener: () => void) => persistence?.watch(listener) ?? (() => undefined), [persistence]);
  const isReady = (): boolean => persistence?.status !== 'reading';
  return useSyncExternalStore(watch, isReady, isReady);
}
