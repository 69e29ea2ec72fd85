// What a runtime is made of, and how that is checked.
import { badOption } from './base/errors.js';
import { DEV } from './base/mode.js';
import { checkChoice, checkOptions } from './base/options.js';
import { ATTACH, foreign } from './base/protocol.js';
import type { Given } from './features/tasks/need.js';
import type { AnyTask } from './features/tasks/types.js';
import { PLACES, type Attachment, type StoragePlaces } from './kernel/attachment.js';
import type { Feature } from './kernel/feature.js';
import type { KernelOptions } from './kernel/options.js';
import { definitionOf } from './model/store.js';
import type { AnyStore } from './model/store-types.js';

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
  /**
   * The runtime under this name on the global object, to play with on the console; in development with `at(pointer)`, which
   * reads a place of the state (JSON Pointer, RFC 6901), and `set(pointer, value)`, recorded as `edited`. Default: none.
   * @example
   * createRuntime({ stores, trace: recording(), expose: 'harbour' }); // on the console: harbour.set('/visits/filter', 'all')
   */
  readonly expose?: string;
}

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
export const inOnePlace = (storage: Attachment<unknown> | StoragePlaces): Attachment<unknown> =>
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
export function checkRuntimeOptions(given: RuntimeOptions): void {
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
