// The runtime as an application has it.
import { ATTACH, foreign, HOST } from './base/protocol.js';
import type { AnyAction, Dispatchable, DispatchResult } from './model/action.js';
import { Kernel } from './kernel/kernel.js';
import { badOption, noRuntimeOnServer } from './base/errors.js';
import { inBrowser, publish } from './base/host.js';
import type { Feature, Hooks } from './kernel/feature.js';
import type { Interceptor } from './kernel/interceptor.js';
import { DEV } from './base/mode.js';
import { checkChoice, checkOptions } from './base/options.js';
import { LiveSelection, type Selection } from './reading/selection.js';
import type { Read, Source } from './model/source.js';
import { definitionOf, StoreDefinition, type AnyStore } from './model/store.js';
import type { Given } from './features/tasks/need.js';
import type { AnyTask, Run, TaskCall } from './features/tasks/types.js';
import { hintInitial, hintStorage } from './kernel/hints.js';
import { STILL, type KernelOptions } from './kernel/options.js';
import { hostOf, PLACES, type Attachment, type StoragePlaces } from './kernel/attachment.js';
import { renew } from './kernel/reload.js';
import { shownStates } from './kernel/states.js';
import { WATCH_OPTIONS, type Watching } from './reactive/watcher.js';

/** What a runtime is made of. Every member may be left out. */
export interface RuntimeOptions extends KernelOptions {
  /** The stores that the runtime begins with. Others join when they are first read or one of their actions comes. Default: none. */
  readonly stores?: readonly AnyStore[];
  /** `recording()` from `floe/trace`. Default: no trace. */
  readonly trace?: Attachment<unknown>;
  /**
   * A storage from `floe/persist`; or several, each store in one of them. Where a store moves to another one, its state is
   * read from the place where it was kept before. Default: nothing is kept.
   * @example
   * storage: { default: webStorage('local', { prefix: 'harbour' }), stores: [[visits, indexedDbStorage({ name: 'harbour' })]] }
   */
  readonly storage?: Attachment<unknown> | StoragePlaces;
  /** Tasks without a store that begin with the runtime. Others need not be listed. Default: none. */
  readonly tasks?: readonly AnyTask[];
  /** What tasks need from outside: `needs: [office.by(httpOffice)]`. Default: none; a task that lacks one fails by name. */
  readonly needs?: readonly Given[];
  /** Features of your own; see the guide "Extending Floe". Default: none. */
  readonly features?: readonly Feature[];
  /** The runtime under this name on the global object, to play with on the console. Default: none. */
  readonly expose?: string;
}

/** Members of `O` that `Known` has not: none may be given. */
export type Unknown<O, Known> = { readonly [K in Exclude<keyof O, keyof Known>]: never };

type FaceOf<O, K extends string> = O extends { readonly [P in K]: Attachment<infer Face> | StoragePlaces<infer Face> }
  ? Face
  : never;

/** What the attached options add to a runtime. */
export type Attached<O> = (O extends { readonly trace: Attachment<unknown> }
  ? { readonly trace: FaceOf<O, 'trace'> }
  : unknown) &
  (O extends { readonly storage: Attachment<unknown> | StoragePlaces }
    ? { readonly persistence: FaceOf<O, 'storage'> }
    : unknown);

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
  /**
   * Adds the stores of a part that was loaded later, and its tasks that begin at once. In development `renew` has the
   * definition of a reloaded module take the place of the one before; in production no module is reloaded.
   */
  add(...storesAndTasks: (AnyStore | AnyTask)[]): void;
  add(store: AnyStore, options: { readonly renew: true }): void;
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
  let isOpen = true;
  const runtime = {
    dispatch: (action: AnyAction) => kernel.dispatch(action),
    read: kernel.read,
    watch(source: Source<unknown>, listener: (now: never, before: never) => void, how?: Watching) {
      if (DEV) checkOptions('watch', how, WATCH_OPTIONS);
      return kernel.watch(source, listener, how);
    },
    follow: (fn: (read: Read) => void) => kernel.follow(fn),
    select: (source: Source<unknown>) => new LiveSelection(kernel, source),
    run: (call: TaskCall<unknown>) => kernel.run(call),
    batch: <T>(fn: () => T) => kernel.batch(fn),
    atomic: <T>(fn: () => T) => kernel.atomic(fn),
    addInterceptor: (name: string, fn: Interceptor) => kernel.addInterceptor(name, fn),
    reset: (...stores: AnyStore[]) => kernel.reset(stores.map(definitionOf)),
    add(...given: (AnyStore | AnyTask | { readonly renew?: boolean })[]) {
      kernel.open('add');
      const last = given.at(-1);
      const tasks = given.filter((one) => typeof one === 'function');
      const options =
        typeof last === 'object' && !(last instanceof StoreDefinition) && !foreign(last)
          ? (last as { readonly renew?: boolean })
          : undefined;
      checkOptions('add', options, ['renew']);
      const named = given
        .filter((one) => one !== options && typeof one !== 'function')
        .map((one) => definitionOf(one as AnyStore));
      if (DEV && options?.renew) for (const one of named) renew(kernel, one, true);
      else kernel.joining.join(named, 'joined');
      if (tasks.length > 0) kernel.startTasks(tasks.map((one) => one.definition));
    },
    snapshot(how?: { readonly only?: readonly AnyStore[] }) {
      checkOptions('snapshot', how, ['only']);
      if (!how?.only) return shownStates(kernel);
      const cells = how.only.map((store) => kernel.cell(definitionOf(store)));
      kernel.catchUp();
      return Object.fromEntries(cells.map((cell) => [cell.store.name, kernel.stateOf(cell)]));
    },
    get ready() {
      return kernel.whenRead?.() ?? Promise.resolve();
    },
    close() {
      if (isOpen) open--;
      isOpen = false;
      return kernel.close();
    },
  } as unknown as Runtime & { trace?: unknown; persistence?: unknown };
  Object.defineProperty(runtime, HOST, { value: kernel });
  for (const feature of given.features ?? []) kernel.use(feature);
  // The places of what is attached are fixed: the trace hears first, then the storage.
  if (given.trace) runtime.trace = kernel.attach(given.trace);
  if (given.storage) runtime.persistence = kernel.attach(inOnePlace(given.storage));
  kernel.joining.join(stores, 'initial');
  if (DEV && !given[STILL]) {
    hintStorage(kernel, stores, given.storage !== undefined);
    hintInitial(kernel, given.initial ?? {}, stores);
  }
  if (given.tasks) kernel.startTasks(given.tasks.map((one) => one.definition));
  if (given.expose) publish(given.expose, runtime);
  open++;
  return runtime as Runtime & Attached<O>;
}

/**
 * What a feature installed in a runtime; where it was not, it is installed now.
 * @example
 * featureIn(runtime, budget).perSecond
 */
export const featureIn = <H extends Hooks>(runtime: Runtime, feature: Feature<H>): H => hostOf(runtime).use(feature);

const RUNTIME_OPTIONS = [
  'stores',
  'initial',
  'trace',
  'storage',
  'interceptors',
  'invariants',
  'checkPurity',
  'tasks',
  'needs',
  'features',
  'clock',
  'random',
  'expose',
  'onProblem',
];

const isStorage = (value: unknown): value is Attachment<unknown> =>
  typeof (value as Partial<Attachment<unknown>> | undefined)?.[ATTACH] === 'function';

/** Several places are one attachment, which the storages themselves can make. */
const inOnePlace = (storage: Attachment<unknown> | StoragePlaces): Attachment<unknown> =>
  isOne(storage) ? storage : (storage.default[PLACES]?.(storage as StoragePlaces<never>) ?? storage.default);

const isOne = (storage: Attachment<unknown> | StoragePlaces): storage is Attachment<unknown> => !('default' in storage);

function checkPlaces(given: StoragePlaces): void {
  const what = 'createRuntime: storage';
  checkOptions(what, given, ['default', 'stores']);
  const isPlace = (value: unknown): boolean => isStorage(value) && typeof value[PLACES] === 'function';
  if (!isPlace(given.default))
    throw (
      foreign(given.default) ??
      badOption(
        what,
        'default',
        'takes a storage, such as webStorage(...) from floe/persist; it keeps the stores that no pair names',
      )
    );
  if (!Array.isArray(given.stores)) throw badOption(what, 'stores', 'takes pairs: [[visits, indexedDbStorage(...)]]');
  const names = new Set<string>();
  for (const [store, storage] of given.stores as StoragePlaces['stores']) {
    const definition = definitionOf(store);
    const { name } = definition;
    if (!isPlace(storage))
      throw foreign(storage) ?? badOption(what, 'stores', `takes pairs of a store and a storage; '${name}' has none`);
    if (!definition.kept)
      throw badOption(what, 'stores', `names '${name}', of which nothing is kept; call ${name}.persisted() first`);
    if (names.size === names.add(name).size)
      throw badOption(what, 'stores', `names '${name}' twice; a store is kept in one place`);
  }
}

/** Development only: what is misspelt, and what is of another kind than an option takes. */
function checkRuntimeOptions(given: RuntimeOptions): void {
  if (!DEV) return;
  const what = 'createRuntime';
  checkOptions(what, given, RUNTIME_OPTIONS);
  for (const option of ['stores', 'interceptors', 'tasks', 'needs', 'features'] as const)
    if (given[option] !== undefined && !Array.isArray(given[option]))
      throw badOption(what, option, `takes a list: ${option}: [...]`);
  for (const feature of given.features ?? [])
    if (typeof (feature as Partial<Feature> | null)?.install !== 'function')
      throw badOption(what, 'features', 'takes features, each with a name and a function install(kernel)');
  for (const option of ['trace', 'storage'] as const) {
    const value = given[option];
    if (option === 'storage' && typeof value === 'object' && ('default' in value || 'stores' in value))
      checkPlaces(value as StoragePlaces);
    else if (value !== undefined && !isStorage(value))
      throw (
        foreign(value) ??
        badOption(
          what,
          option,
          typeof value === 'function'
            ? `was given a function; call it: ${option}: ${(value as { name: string }).name || option}(...)`
            : option === 'trace'
              ? 'takes recording() from floe/trace'
              : 'takes a storage, such as webStorage(...) from floe/persist',
        )
      );
  }
  checkChoice(what, 'invariants', given.invariants, ['report', 'refuse']);
}

let open = 0;
/** How many runtimes were made and are not closed. */
export const openRuntimes = (): number => open;

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
