// Development only: what a beginner is told, once each. Nothing here is an error, since each may be meant.
import { FloeError, nearest } from '../base/errors.js';
import { inBrowser } from '../base/host.js';
import { inWords, otherKind } from '../data/kinds.js';
import { hasOwn, isContainer, pointerTo } from '../data/plain.js';
import type { StoreDefinition } from '../model/store.js';
import type { Cell } from './cell.js';
import type { Extensible } from './feature.js';
import { reportOnce } from './reported.js';

const hint = (kernel: Extensible, code: string, words: string): void => reportOnce(kernel, new FloeError(code, words));

/** Stores of which something is to be kept, and no storage keeps it; or a storage that keeps nothing. */
export function hintStorage(kernel: Extensible, stores: readonly StoreDefinition[], hasStorage: boolean): void {
  const kept = stores.filter((store) => store.kept);
  const [first] = kept;
  // A server and most tests have none, and mean it.
  if (first && !hasStorage && inBrowser())
    hint(
      kernel,
      'FLOE_NOT_KEPT',
      `'${first.name}' is persisted(), but the runtime has no storage: nothing is kept. Give it one: createRuntime({ stores, storage: webStorage('local', { prefix: 'app' }) }).`,
    );
  if (hasStorage && stores.length > 0 && kept.length === 0)
    hint(
      kernel,
      'FLOE_NOTHING_KEPT',
      `The runtime has a storage, but of none of its stores anything is kept. Say of which: store('${stores[0].name}', ...).persisted().`,
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
    const why = meant && `has a state of '${name}', and the runtime has no such store. Did you mean '${meant}'?`;
    if (why) hint(kernel, 'FLOE_INITIAL_DIFFERS', `The option 'initial' ${why}`);
  }
  for (const { name, shape } of stores) {
    if (!hasOwn(initial, name) || !isContainer(shape) || Array.isArray(shape)) continue;
    const given = initial[name];
    const missing = isContainer(given) ? Object.keys(shape).filter((key) => !hasOwn(given, key)) : [];
    const fields = missing.map((key) => `'${key}'`).join(', ');
    const why = `has no ${fields} in the state of '${name}', which it replaces as a whole. Give all fields: { ...declared, ...given }.`;
    if (fields !== '') hint(kernel, 'FLOE_INITIAL_DIFFERS', `The option 'initial' ${why}`);
  }
}

/** A change that returned something that is hardly meant to be the whole state. What edits its draft costs nothing here. */
export function hintReturned(
  kernel: Extensible,
  { store, editing: { returned } }: Cell,
  type: string,
  before: unknown,
): void {
  if (returned === undefined || returned === null || !isContainer(before) || Array.isArray(before)) return;
  const isPart = typeof returned === 'object' && Object.values(before).includes(returned);
  if (!isPart && typeof returned === 'object') return;
  const what = isPart ? 'a part of the state' : inWords(returned);
  hint(
    kernel,
    'FLOE_STATE_REPLACED',
    `The change of '${store.name}' for '${type}' returned ${what}, which is the whole state from now on. Edit the draft and return nothing, with braces: (draft) => { draft.x = 1; }; or return the next state: (state) => ({ ...state, x: 1 }).`,
  );
}

/** The stored state is not of the kinds that the store declares, at the same version. */
export function storedDiffers(store: string, declared: unknown, found: unknown): FloeError | undefined {
  const other = otherKind(declared, found);
  return (
    other &&
    new FloeError(
      'FLOE_STORED_DIFFERS',
      `The stored state of '${store}' has ${other.found} at '${pointerTo(other.keys)}', where the store begins with ${other.declared}, and both are of the same version. Where the store has changed, raise its version and say how old states become new ones: persisted({ version: 2, upgrade: [(stored) => next] }).`,
    )
  );
}
