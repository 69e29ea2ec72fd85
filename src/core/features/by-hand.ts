// Places of the state that a developer reads and sets by hand, in the inspector or on the console. What is set is recorded as
// the fact `edited`. Applications dispatch actions: nothing else uses this.
import { FloeError, nearest } from '../base/errors.js';
import { DEV } from '../base/mode.js';
import { guardData } from '../data/guard.js';
import { isKeyed } from '../data/keyed.js';
import { escapeKey, hasOwn, hasPart, isBranch, keeping, lookUp } from '../data/plain.js';
import { applyPatch } from '../data/patch.js';
import { parsePointer } from '../data/pointer.js';
import { brokenBy, RULE } from '../kernel/compute.js';
import { storesOf, type Extensible } from '../kernel/feature.js';
import { shownStates } from '../kernel/states.js';
import { place } from '../kernel/stating.js';
import type { StoreDefinition } from '../model/store.js';

const noSuchPlace = (pointer: string, where: string, known: readonly string[] = []): FloeError => {
  const [store = ''] = parsePointer(pointer);
  const meant = nearest(store, known);
  return new FloeError(
    'FLOE_NO_SUCH_PLACE',
    `There is nothing at '${pointer}': ${where}. ${meant === undefined ? 'A place is a JSON Pointer from the name of a store on, such as /visits/filter.' : `Did you mean '${meant}'?`}`,
    { path: pointer },
  );
};

/**
 * The value at a place.
 * @param pointer JSON Pointer (RFC 6901) into the state tree: '/visits/filter'
 * @throws FLOE_NO_SUCH_PLACE
 */
export function valueAtPlace(kernel: Extensible, pointer: string): unknown {
  const found = lookUp(shownStates(kernel), parsePointer(pointer));
  if (!found) throw noSuchPlace(pointer, 'no such part', Object.keys(shownStates(kernel)));
  return found.value;
}

/**
 * Sets the value at a place, in the present; where the past is shown, a branch begins there.
 * @param pointer JSON Pointer (RFC 6901) into the state tree; the part itself may be missing, what it stands in may not
 * @throws FLOE_NO_SUCH_PLACE, FLOE_INVARIANT_BROKEN, FLOE_NOT_PLAIN_DATA; then nothing has changed
 */
export function setPlace(kernel: Extensible, pointer: string, value: unknown): void {
  kernel.open('edit');
  kernel.forbidInside('edit');
  const [name, ...keys] = parsePointer(pointer);
  const stores = storesOf(kernel);
  const store = stores.find((one) => one.name === name && !one.internal);
  if (!store)
    throw noSuchPlace(
      pointer,
      name === undefined ? 'it names no store' : `there is no store '${name}'`,
      stores.filter(({ internal }) => !internal).map((one) => one.name),
    );
  if (kernel.features.isMoving) return;
  const shown = shownStates(kernel)[store.name];
  const after = keeping(shown, edited(store, shown, keys, value));
  if (after === shown) return;
  if (DEV) guardData(after, { at: '', what: `The state of '${store.name}'` });
  const [broken] = kernel.computing.within(RULE, () => brokenBy([{ store, after }], 'edited'));
  if (broken) throw broken;
  // What is refused begins no branch.
  kernel.features.leavePast();
  const before = kernel.views.stateOf(kernel.joining.cell(store));
  // Where the state before it becomes another one, as when a pending action is reverted, the place is set there again.
  const redo = (state: unknown): unknown => {
    try {
      return edited(store, state, keys, value);
    } catch {
      return state;
    }
  };
  const cause = { by: 'inspector' } as const;
  kernel.notifications.call(() => place(kernel, [{ store, before, after }], 'edited', { redo, cause }));
}

function edited(store: StoreDefinition, before: unknown, keys: readonly string[], value: unknown): unknown {
  const whole = { [store.name]: before };
  const holder = lookUp(whole, [store.name, ...keys.slice(0, -1)]);
  const pointer = `/${[store.name, ...keys].map(escapeKey).join('/')}`;
  if (keys.length > 0 && (!holder || typeof holder.value !== 'object' || holder.value === null))
    throw noSuchPlace(pointer, 'what it stands in is missing');
  const isThere = keys.length === 0 || hasPart(holder!.value, keys[keys.length - 1]);
  const after = applyPatch(whole, [{ op: isThere ? 'replace' : 'add', path: pointer, value }])[store.name];
  return store.completed(before, after, undefined);
}

/** What a developer has on the console beside the runtime. */
export interface OnConsole {
  /** The value at a place: `harbour.at('/visits/filter')`. */
  at(pointer: string): unknown;
  /** Sets the value at a place: `harbour.set('/visits/filter', 'all')`. The trace records it as `edited`. */
  set(pointer: string, value: unknown): void;
}

/** Gives the runtime what a developer has of it on the console: the places of its state. */
export function onConsole<R extends object>(kernel: Extensible, runtime: R, name: string): R & OnConsole {
  return Object.assign(runtime, {
    at: (pointer: string) => readOnly(valueAtPlace(kernel, pointer), pointer, name),
    set: (pointer: string, value: unknown) => setPlace(kernel, pointer, value),
  });
}

/** A value that says how it is set where code assigns to a part of it: a console ignores assignments to what is frozen. */
function readOnly(value: unknown, pointer: string, name: string): unknown {
  if (!isBranch(value)) return value;
  const copy: object = Array.isArray(value) ? [...value] : isKeyed(value) ? rowsOf(value) : { ...value };
  const refuse = (_: object, key: string | symbol): never => {
    throw new FloeError(
      'FLOE_STATE_EDITED',
      `An assignment changes no state. Set the place: ${name}.set('${pointer}/${escapeKey(String(key))}', value).`,
      { path: pointer },
    );
  };
  return new Proxy(copy, {
    get(target, key, receiver) {
      const part: unknown = Reflect.get(target, key, receiver);
      return typeof key === 'string' && hasOwn(target, key)
        ? readOnly(part, `${pointer}/${escapeKey(key)}`, name)
        : part;
    },
    set: refuse,
    deleteProperty: refuse,
    defineProperty: refuse,
  });
}

const rowsOf = (table: Iterable<readonly [string, unknown]>): object => Object.fromEntries(table);
