// From what an older version of the application stored to what the present one keeps, and whether it is fit to be used.
import { decode, encode, isThenable, pointerTo, type StoreDefinition } from '../core/internal.js';

/** The version that a store declares. */
export const versionOf = ({ kept }: StoreDefinition): number => kept?.version ?? 1;

/**
 * The stored part as the present version keeps it.
 * @param state what was stored; it may be edited in place
 * @throws Error with the reason when it cannot be used
 */
export function upgraded(store: StoreDefinition, version: number, state: unknown): unknown {
  const steps = (store.kept?.upgrade ?? []) as readonly ((stored: unknown) => unknown)[];
  const present = versionOf(store);
  // The last step leads to the present version.
  const first = steps.length - (present - version);
  if (first < 0) throw new Error(`no upgrade leads from version ${version} to version ${present}`);
  let next = state;
  for (const [i, step] of steps.slice(first).entries()) {
    let result: unknown;
    try {
      result = step(next);
    } catch (cause) {
      throw new Error(`the upgrade from version ${version + i} to ${version + i + 1} failed: ${String(cause)}`, {
        cause,
      });
    }
    if (isThenable(result))
      throw new Error(`the upgrade from version ${version + i} to ${version + i + 1} is asynchronous`);
    if (result !== undefined) next = result;
  }
  return checked(store, next);
}

function checked(store: StoreDefinition, state: unknown): unknown {
  const check = store.kept?.check;
  if (!check) return state;
  // What a check does to its argument is no part of what was stored: a change is computed from that.
  const result = check['~standard'].validate(decode(JSON.parse(JSON.stringify(encode(state)))));
  if (isThenable(result)) throw new Error('its check is asynchronous; a stored state is checked before it is used');
  if (!result.issues) return result.value;
  const issues = result.issues.map(({ message, path }) => {
    const way = path?.map((part) => String(typeof part === 'object' ? part.key : part)) ?? [];
    return way.length > 0 ? `${pointerTo(way)}: ${message}` : message;
  });
  throw new Error(`it does not pass its check: ${issues.join('; ')}`);
}
