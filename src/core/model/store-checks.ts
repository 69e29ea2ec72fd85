// What states and options are checked for, against what a store declares.
import { badSnapshot, unknownField } from '../base/errors.js';
import { DEV } from '../base/mode.js';
import { isKeyed } from '../data/keyed.js';
import { escapeKey, hasOwn, isContainer, partOf } from '../data/plain.js';
import { parsePointer } from '../data/pointer.js';
import type { StoreDefinition } from './store.js';

/**
 * Development only: what is kept must be named as the state names it. Known when the state is: a store that begins with a
 * function gives it to each runtime.
 */
export function checkKept({ name, kept }: StoreDefinition, state: unknown): void {
  if (!DEV || !kept || !isContainer(state) || Array.isArray(state) || Object.keys(state).length === 0) return;
  for (const option of ['only', 'except'] as const)
    for (const place of kept[option] ?? []) {
      const [field] = place.startsWith('/') ? parsePointer(place) : [place];
      if (!hasOwn(state, field)) throw unknownField(`'${name}'.persisted: '${option}'`, field, Object.keys(state));
    }
}

/**
 * Where a store declares a table, a given state must have one: `structuredClone` and JSON make other objects of them.
 * @throws FLOE_BAD_SNAPSHOT with the place
 */
export function checkTables({ name, shape }: StoreDefinition, given: unknown): void {
  const look = (declared: unknown, found: unknown, path: string): void => {
    if (isKeyed(declared)) {
      if (!isKeyed(found))
        throw badSnapshot(
          `there is no table at ${path}, though the store '${name}' declares one there; a table survives neither structuredClone nor JSON, so hand over runtime.snapshot() itself or its text`,
        );
    } else if (isContainer(declared) && !Array.isArray(declared) && isContainer(found))
      for (const key of Object.keys(declared))
        if (hasOwn(found, key)) look(partOf(declared, key), partOf(found, key), `${path}/${escapeKey(key)}`);
  };
  look(shape, given, `/${name}`);
}
