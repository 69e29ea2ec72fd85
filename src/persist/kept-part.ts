// Which part of a state is kept between sessions, and how a stored part completes a state.
import {
  type Fields,
  hasOwn,
  isFields,
  kindOf,
  lookUp,
  parsePointer,
  pointerTo,
  put,
  type StoreDefinition,
} from '../core/internal.js';
import { badKept } from './errors.js';

/** The keys of the way to a part: `'/view/day'` is a JSON Pointer (RFC 6901), `'day'` a field. */
const wayTo = (place: string): readonly string[] => (place.startsWith('/') ? parsePointer(place) : [place]);

export class KeptPart {
  private readonly only: readonly (readonly string[])[] | undefined;
  private readonly except: readonly (readonly string[])[];

  /** @throws FLOE_BAD_POINTER */
  constructor(private readonly store: StoreDefinition) {
    const { only, except = [] } = store.kept as { only?: readonly string[]; except?: readonly string[] };
    this.only = only?.map(wayTo);
    this.except = except.map(wayTo);
  }

  /**
   * The part of a state that is kept; the same object where it is the whole.
   * @throws FLOE_BAD_KEPT where a place leads through a list or a table
   */
  of(state: unknown): unknown {
    const { only, except } = this;
    if (!only && except.length === 0) return state;
    if (!isFields(state)) throw badKept(this.store.name, '', 'the state has no fields');
    let part: unknown = state;
    if (only) {
      part = {};
      for (const way of only) {
        const found = lookUp(state, this.checked(state, way));
        if (found) part = placed(part as Fields, way, found.value);
      }
    }
    for (const way of except) part = without(part, this.checked(state, way));
    return part;
  }

  /**
   * A state with the stored part in its places; what is not kept stays as it is.
   * @throws Error when the stored part has another shape
   */
  complete(state: unknown, stored: unknown): unknown {
    if (isFields(state) !== isFields(stored)) throw new Error('it has another shape than the state');
    if (!isFields(state)) return stored;
    const kept = this.of(stored) as Fields;
    let next: Fields = { ...state };
    if (this.only)
      for (const way of this.only) {
        const found = lookUp(kept, way);
        if (found) next = placed(next, way, found.value);
      }
    else for (const key of Object.keys(kept)) put(next, key, kept[key]);
    return this.withOwn(next, state);
  }

  /** A state with the kept part of another one: what is not in that part is not in the state either. */
  exactly(state: unknown, part: unknown): unknown {
    const { only, except } = this;
    if ((!only && except.length === 0) || !isFields(state) || !isFields(part)) return part;
    let next: unknown = only ? state : part;
    for (const way of only ?? []) {
      const found = lookUp(part, way);
      next = found ? placed(next as Fields, way, found.value) : without(next, way);
    }
    return this.withOwn(next as Fields, state);
  }

  /** What is excepted stays as the state has it. */
  private withOwn(next: Fields, state: Fields): Fields {
    for (const way of this.except) {
      const found = lookUp(state, way);
      if (found && (way.length === 1 || isFields(lookUp(next, way.slice(0, -1))?.value)))
        next = placed(next, way, found.value);
    }
    return next;
  }

  private checked(state: unknown, way: readonly string[]): readonly string[] {
    for (let i = 1; i < way.length; i++) {
      const through = lookUp(state, way.slice(0, i));
      if (through && kindOf(through.value) > 1)
        throw badKept(
          this.store.name,
          pointerTo(way),
          `it leads through a list or a table at ${pointerTo(way.slice(0, i))}`,
        );
    }
    return way;
  }
}

/** The object with a value at a place; objects on the way are copied, or made. */
function placed(fields: Fields, [key, ...rest]: readonly string[], value: unknown): Fields {
  const next = { ...fields };
  if (rest.length === 0) put(next, key, value);
  else {
    const inner = hasOwn(fields, key) ? fields[key] : {};
    if (!isFields(inner)) throw new Error(`it has another shape than the state at '${key}'`);
    put(next, key, placed(inner, rest, value));
  }
  return next;
}

function without(value: unknown, [key, ...rest]: readonly string[]): unknown {
  if (!isFields(value) || !hasOwn(value, key)) return value;
  const { [key]: inner, ...others } = value;
  if (rest.length === 0) return others;
  const next = without(inner, rest);
  return next === inner ? value : placed(value, [key], next);
}

/** The same parts, where the two are objects of the same parts. */
export function sameParts(a: unknown, b: unknown): boolean {
  if (Object.is(a, b)) return true;
  if (!isFields(a) || !isFields(b)) return false;
  const keys = Object.keys(a);
  return keys.length === Object.keys(b).length && keys.every((key) => hasOwn(b, key) && Object.is(a[key], b[key]));
}
