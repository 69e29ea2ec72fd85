import {
  createContext,
  createElement,
  useContext,
  useMemo,
  useSyncExternalStore,
  useTransition,
  type ReactNode,
} from 'react';
import { dispatcherOf, holdOf, INLINE, readinessOf, runnerOf, selectedRecipe } from '../../core/internal.js';
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

/** What a provider gives to the components below it. */
interface Provided {
  readonly runtime: Runtime;
  /** The components are rendered to text: they show the present state, not the one that a page hydrates with. */
  readonly toText: boolean;
}

const ProvidedContext = createContext<Provided | undefined>(undefined);

/**
 * Gives the components below it a runtime. Without one they share the page's default runtime.
 * @example
 * createRoot(element).render(<RuntimeProvider runtime={runtime}><ControlRoom /></RuntimeProvider>);
 */
export function RuntimeProvider({
  runtime,
  children,
}: {
  readonly runtime: Runtime;
  readonly children?: ReactNode;
}): ReactNode {
  // Both rendering to text and hydrating ask for the server's value, and React does not say which it is. But only where
  // components are rendered for good does each transition get a function of its own.
  const [, one] = useTransition();
  const [, other] = useTransition();
  const toText = one === other;
  const value = useMemo(() => ({ runtime, toText }), [runtime, toText]);
  return createElement(ProvidedContext.Provider, { value }, children);
}

let shared: Provided | undefined;
const useProvided = (): Provided =>
  useContext(ProvidedContext) ?? (shared ??= { runtime: defaultRuntime(), toText: false });

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
export function useAction<A extends readonly unknown[]>(
  creator: ActionCreator<string, A>,
): (...payload: A) => DispatchResult {
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
 * answer at once, and without one.
 * @example
 * if (!useReady()) return <Skeleton />;
 */
export function useReady(): boolean {
  const { runtime, toText } = useProvided();
  const { watch, isReady } = useMemo(() => readinessOf(runtime), [runtime]);
  return useSyncExternalStore(watch, isReady, toText ? isReady : wasReady);
}

/** A page hydrates with what the server rendered, which had nothing to wait for. */
const wasReady = (): boolean => true;
