// The runtime as an application has it.
import { ATTACH, foreign, HOST } from './base/protocol.js';
import type { AnyAction, Dispatchable, DispatchResult } from './model/action.js';
import { Kernel } from './kernel/kernel.js';
import { badOption, noRuntimeOnServer, notATaskCall } from './base/errors.js';
import { inBrowser, publish } from './base/host.js';
import { onConsole } from './features/by-hand.js';
import type { Feature } from './kernel/feature.js';
import type { Hooks } from './kernel/hooks.js';
import type { Interceptor } from './kernel/interceptor.js';
import { DEV } from './base/mode.js';
import { checkOptions } from './base/options.js';
import { LiveSelection, type Selection, type SelectionHost } from './reading/selection.js';
import type { Read, Source } from './model/source.js';
import { definitionOf } from './model/store.js';
import type { AnyStore } from './model/store-types.js';
import type { AnyTask, Run, TaskCall } from './features/tasks/types.js';
import { checkRuntimeOptions, inOnePlace, type RuntimeOptions } from './runtime-options.js';
import { hintInitial, hintStorage } from './kernel/hints.js';
import { STILL } from './kernel/options.js';
import { hostOf, type Attachment, type StoragePlaces } from './kernel/attachment.js';
import { renew } from './kernel/reload.js';
import { shownStates } from './kernel/states.js';
import { reset } from './kernel/stating.js';
import { unproxied, untracked } from './kernel/adapter.js';
import type { DeclaredTask } from './model/triggers.js';
import { WATCH_OPTIONS, type Watching } from './reactive/watcher.js';

/** Members of `O` that `Known` has not: none may be given. */
export type Unknown<O, Known> = { readonly [K in Exclude<keyof O, keyof Known>]: never };

type FaceOf<G> = G extends Attachment<infer Face> | StoragePlaces<infer Face> ? Face : undefined;

/** What an attached option adds; where it may be `undefined`, so may the member be. */
type Added<O, Option extends string, Member extends string> = O extends { readonly [P in Option]: infer G }
  ? { readonly [P in Member]: FaceOf<G> }
  : unknown;

/** What the attached options add to a runtime. */
export type Attached<O> = Added<O, 'trace', 'trace'> & Added<O, 'storage', 'persistence'>;

/** Brings definitions to life: one state tree, one line of transitions. */
export interface Runtime {
  /** Applies an action in every store that handles it, as one transition: all or nothing. */
  dispatch(action: Dispatchable): DispatchResult;
  /** The value of a source now. */
  read: Read;
  /**
   * Calls `listener` with the value now and before, whenever it became another one.
   * @param options `now: true` also hands over the present value at once; `onError` is called when the source begins to throw
   * @returns a function that stops it
   * @example
   * const stop = runtime.watch(visitById('v7'), (now, before) => render(now), { onError: (error) => renderError(error) });
   */
  watch<T>(source: Source<T>, listener: (now: T, before: T | undefined) => void, options?: Watching): () => void;
  /** Runs `fn` now, and again whenever something that it read changed. Returns a function that stops it. */
  follow(fn: (read: Read) => void): () => void;
  /** A live selection: the value, and several ways to be told of the next. */
  select<T>(source: Source<T>): Selection<T>;
  /**
   * Runs a task. A failure that no caller waits for is reported to `onProblem`.
   * @example
   * const run = runtime.run(loadVisits('2031-03-02'));
   * await run; // or run.cancel()
   */
  run<T>(call: TaskCall<T>): Run<T>;
  /** Many transitions, one notification. */
  batch<T>(fn: () => T): T;
  /** A transaction: many transitions that commit or roll back together. */
  atomic<T>(fn: () => T): T;
  /** Adds an interceptor after those there are. Returns a function that removes it. */
  addInterceptor(name: string, fn: Interceptor): () => void;
  /** Back to the declared state, in memory. Without stores: all. What is stored stays. */
  reset(...stores: AnyStore[]): void;
  /** Adds the stores of a part that was loaded later, and its tasks that begin at once. */
  add(...storesAndTasks: (AnyStore | AnyTask)[]): void;
  /**
   * Has the definitions of a reloaded module take the place of those before, in development; the states stay. In production no
   * module is reloaded, and it is `add`.
   * @example
   * import.meta.hot?.accept((next) => next && runtime.renew(next.visits));
   */
  renew(...stores: AnyStore[]): void;
  /** The states of all stores, or of some, by name. */
  snapshot(options?: { readonly only?: readonly AnyStore[] }): Record<string, unknown>;
  /**
   * Fulfilled when everything that is stored was read; at once where nothing is. Never rejects: see `persistence.problems`.
   * @example
   * await runtime.ready;
   * render();
   */
  readonly ready: Promise<void>;
  /**
   * Ends runs, watches and links; later calls are errors. Everything that can happen at once has happened when it returns.
   * @returns fulfilled when every accepted change is stored, or reported
   */
  close(): Promise<void>;
}

/**
 * Makes a runtime: it holds one state tree and one line of transitions for a set of stores.
 * A browser tab normally has one, a server one a request, a test one a test.
 * @example
 * const runtime = createRuntime({ stores: [visits], trace: recording(), storage: webStorage('local', { prefix: 'harbour' }) });
 * runtime.dispatch(visitPlanned(visit));
 * runtime.read(expected);
 */
export function createRuntime<const O extends RuntimeOptions = object>(
  options?: O & RuntimeOptions & Unknown<O, RuntimeOptions>,
): Runtime & Attached<O> {
  const given: RuntimeOptions = options ?? {};
  checkRuntimeOptions(given);
  const stores = (given.stores ?? []).map(definitionOf);
  const kernel = new Kernel(given);
  const runtime = faceOf(kernel);
  Object.defineProperty(runtime, HOST, { value: kernel });
  for (const feature of given.features ?? []) kernel.features.use(feature);
  // The places of what is attached are fixed: the trace hears first, then the storage.
  if (given.trace) runtime.trace = attach(kernel, given.trace);
  if (given.storage) runtime.persistence = attach(kernel, inOnePlace(given.storage));
  kernel.joining.join(stores, 'initial');
  if (DEV && !given[STILL]) {
    hintStorage(kernel, stores, given.storage !== undefined);
    hintInitial(kernel, given.initial ?? {}, stores);
  }
  if (given.tasks) kernel.features.startTasks(given.tasks.map((one) => one.definition));
  if (given.expose) publish(given.expose, DEV ? onConsole(kernel, runtime, given.expose) : runtime);
  return runtime as Runtime & Attached<O>;
}

/** What an application has of a kernel. Longer than others: one member after another. */
function faceOf(kernel: Kernel): Runtime & { trace?: unknown; persistence?: unknown } {
  const watch: SelectionHost['watch'] = (source, listener, how) => {
    kernel.open('watch');
    return kernel.views.current.reading.watch(source, listener, how);
  };
  const face = {
    dispatch: (action: AnyAction) => kernel.dispatch(action),
    read: kernel.read,
    watch(source: Source<unknown>, listener: (now: never, before: never) => void, how?: Watching) {
      if (DEV) checkOptions('watch', how, WATCH_OPTIONS);
      return watch(source, listener, how);
    },
    follow(fn: (read: Read) => void) {
      kernel.open('follow');
      const stop = kernel.views.current.reading.follow(fn);
      kernel.notifications.notify();
      return stop;
    },
    select: (source: Source<unknown>) => new LiveSelection({ read: kernel.read, watch }, source),
    run: (call: TaskCall<unknown>) => runOf(kernel, call),
    batch<T>(fn: () => T) {
      kernel.open('batch');
      kernel.forbidInside('batch');
      return kernel.transactions.batch(fn);
    },
    atomic<T>(fn: () => T) {
      kernel.open('atomic');
      kernel.forbidInside('atomic');
      return kernel.transactions.atomic(fn);
    },
    addInterceptor(name: string, fn: Interceptor) {
      kernel.open('addInterceptor');
      return kernel.interceptors.add(name, fn);
    },
    reset: (...stores: AnyStore[]) => reset(kernel, stores.map(definitionOf)),
    add(...given: (AnyStore | AnyTask)[]) {
      kernel.open('add');
      const tasks = given.filter((one) => typeof one === 'function');
      const stores = given.filter((one) => typeof one !== 'function');
      kernel.joining.join(stores.map(definitionOf), 'joined');
      kernel.features.startTasks(tasks.map((one) => one.definition));
    },
    renew(...stores: AnyStore[]) {
      kernel.open('renew');
      const definitions = stores.map(definitionOf);
      if (DEV) for (const one of definitions) renew(kernel, one, true);
      else kernel.joining.join(definitions, 'joined');
    },
    snapshot(how?: { readonly only?: readonly AnyStore[] }) {
      checkOptions('snapshot', how, ['only']);
      if (!how?.only) return shownStates(kernel);
      const cells = how.only.map((store) => kernel.joining.cell(definitionOf(store)));
      kernel.transactions.catchUp();
      return Object.fromEntries(cells.map((cell) => [cell.store.name, kernel.views.stateOf(cell)]));
    },
    get ready() {
      return kernel.whenRead?.() ?? Promise.resolve();
    },
    close() {
      if (ref) open.delete(ref);
      return kernel.close();
    },
  } as unknown as Runtime;
  const ref = DEV ? new WeakRef(face) : undefined;
  if (ref) open.add(ref);
  return face;
}

/** Runs what a call says, by the feature that the call names. */
function runOf(kernel: Kernel, call: TaskCall<unknown>): unknown {
  const feature = (call as { readonly task?: DeclaredTask } | null | undefined)?.task?.feature as Feature | undefined;
  if (!feature?.install) throw notATaskCall(call);
  const { adapters } = kernel.notifications;
  if (adapters.length === 0) return kernel.features.use(feature).run!(call);
  const plain = {
    ...(call as object),
    args: unproxied(adapters, (call as unknown as { readonly args: unknown }).args),
  };
  return untracked(adapters, () => kernel.features.use(feature).run!(plain));
}

function attach<Face>(kernel: Kernel, attachment: Attachment<Face>): Face {
  // In development the options were checked before, with words.
  if (!attachment[ATTACH]) throw foreign(attachment) ?? badOption('createRuntime', 'trace, storage', '');
  return attachment[ATTACH](kernel);
}

/**
 * What a feature installed in a runtime; where it was not, it is installed now.
 * @example
 * featureIn(runtime, budget).perSecond
 */
export const featureIn = <H extends Hooks>(runtime: Runtime, feature: Feature<H>): H =>
  hostOf(runtime).features.use(feature);

/** In development: the runtimes that were made and are not closed. They are held weakly. */
const open = new Set<WeakRef<Runtime>>();
export const openRuntimes = (): readonly Runtime[] => Array.from(open).flatMap((ref) => ref.deref() ?? []);

let shared: Runtime | undefined;

/**
 * The one runtime of a page, for when none is provided.
 * @throws FLOE_NO_RUNTIME on a server, where it would leak the state of one request into another
 * @example
 * defaultRuntime().dispatch(visitPlanned(visit));
 */
export function defaultRuntime(): Runtime {
  if (!inBrowser()) throw noRuntimeOnServer();
  return (shared ??= createRuntime());
}
