// Development only: what a beginner is told, once each. Nothing here is an error, since each may be meant.
import { FloeError, nearest } from '../base/errors.js';
import { inBrowser } from '../base/host.js';
import { inWords, otherKind } from '../data/kinds.js';
import { hasOwn, isContainer } from '../data/plain.js';
import type { StoreDefinition } from '../model/store.js';
import type { Extensible } from './feature.js';
import { reportOnce } from './reported.js';

/** Stores of which something is to be kept, and no storage keeps it; or a storage that keeps nothing. */
export function hintStorage(kernel: Extensible, stores: readonly StoreDefinition[], hasStorage: boolean): void {
  const kept = stores.filter((store) => store.kept);
  const [first] = kept;
  // A server and most tests have none, and mean it.
  if (first && !hasStorage && inBrowser())
    reportOnce(
      kernel,
      new FloeError(
        'FLOE_NOT_KEPT',
        `'${first.name}' is persisted(), but the runtime has no storage: nothing is kept. Give it one: createRuntime({ stores, storage: webStorage('local', { prefix: 'app' }) }).`,
      ),
    );
  if (hasStorage && stores.length > 0 && kept.length === 0)
    reportOnce(
      kernel,
      new FloeError(
        'FLOE_NOTHING_KEPT',
        `The runtime has a storage, but of none of its stores anything is kept. Say of which: store('${stores[0].name}', ...).persisted().`,
      ),
    );
}

/** States to begin with, of stores that are misspelt, or without some of their fields. */
export function hintInitial(
  kernel: Extensible,
  initial: Readonly<Record<string, unknown>>,
  stores: readonly StoreDefinition[],
): void {
  const names = stores.map(({ name }) => name);
  for (const name of Object.keys(initial)) {
    const meant = names.includes(name) ? undefined : nearest(name, names);
    if (meant)
      reportOnce(
        kernel,
        new FloeError(
          'FLOE_INITIAL_DIFFERS',
          `The option 'initial' has a state of '${name}', and the runtime has no such store. Did you mean '${meant}'?`,
        ),
      );
  }
  for (const { name, shape } of stores) {
    if (!hasOwn(initial, name) || !isContainer(shape) || Array.isArray(shape)) continue;
    const given = initial[name];
    const missing = isContainer(given) ? Object.keys(shape).filter((key) => !hasOwn(given, key)) : [];
    if (missing.length > 0)
      reportOnce(
        kernel,
        new FloeError(
          'FLOE_INITIAL_DIFFERS',
          `The option 'initial' has no ${missing.map((key) => `'${key}'`).join(', ')} in the state of '${name}', which it replaces as a whole. Give all fields: { ...declared, ...given }.`,
        ),
      );
  }
}

/** A change that returned something that is hardly meant to be the whole state. */
export function hintReturned(
  kernel: Extensible,
  { name }: StoreDefinition,
  type: string,
  before: unknown,
  after: unknown,
): void {
  if (!isContainer(before) || Array.isArray(before)) return;
  const isPart = typeof after === 'object' && after !== null && Object.values(before).includes(after);
  const isOther = after !== null && after !== undefined && typeof after !== 'object';
  if (!isPart && !isOther) return;
  const what = isPart ? `a part of the state` : inWords(after);
  reportOnce(
    kernel,
    new FloeError(
      'FLOE_STATE_REPLACED',
      `The change of '${name}' for '${type}' returned ${what}, which is the whole state from now on. Edit the draft and return nothing, with braces: (draft) => { draft.x = 1; }; or return the next state: (state) => ({ ...state, x: 1 }).`,
    ),
  );
}

/** The stored state is not of the kinds that the store declares, at the same version. */
export function storedDiffers(store: string, declared: unknown, found: unknown): FloeError | undefined {
  const other = otherKind(declared, found);
  if (!other) return undefined;
  return new FloeError(
    'FLOE_STORED_DIFFERS',
    `The stored state of '${store}' has ${other.found} at '/${other.keys.join('/')}', where the store begins with ${other.declared}, and both are of the same version. Where the store has changed, raise its version and say how old states become new ones: persisted({ version: 2, upgrade: [(stored) => next] }).`,
  );
}
