// Where a value comes from: back through the steps that changed it, though it may have stood elsewhere before.
import type { Patch, PatchOperation } from '../core/index.js';
import { lookUp, pointerTo, sameData, type Found } from '../core/plain.js';
import { parsePointer } from '../core/pointer.js';
import type { Step } from './step.js';
import { patched, type States } from './timeline.js';

/** A step that changed a value. */
export interface ValueChange {
  readonly step: Step;
  /** Where the value stood after the step: the items of a list move. */
  readonly pointer: string;
  /** The value before; absent where it came into being. */
  readonly before?: unknown;
  /** The value after; absent where it was removed. */
  readonly after?: unknown;
}

/** The steps that changed the value at a pointer, newest first. `steps` come newest first, `states` are those after the first. */
export function* changesOf(pointer: string, steps: Iterable<Step>, states: States): Generator<ValueChange> {
  let keys: readonly string[] | undefined = parsePointer(pointer);
  let after = states;
  for (const step of steps) {
    if (step.changes.length === 0) continue;
    const before = patched(after, [step], 'undo');
    const now: readonly string[] = keys;
    keys = placeBefore(now, step.changes, before, after);
    const is = lookUp(after, now);
    const was = keys && lookUp(before, keys);
    if (!sameFound(is, was))
      yield { step, pointer: pointerTo(now), ...(was && { before: was.value }), ...(is && { after: is.value }) };
    // It came into being here: what stood in its place before was something else.
    if (!keys) return;
    after = before;
  }
}

const sameFound = (a: Found | undefined, b: Found | undefined): boolean =>
  a === b || (a !== undefined && b !== undefined && sameData(a.value, b.value));

/** Where a value stood before a patch; `undefined` where an item of a list came into being. */
const placeBefore = (keys: readonly string[], changes: Patch, before: unknown, after: unknown) =>
  carried(keys, [...changes].reverse(), 'add', after, before);

/** Where a value stands after a patch; `undefined` where an item of a list was removed. */
export const placeAfter = (keys: readonly string[], changes: Patch, before: unknown, after: unknown) =>
  carried(keys, changes, 'remove', before, after);

/** A place carried along operations, in the direction in which `removing` takes items away. */
function carried(
  keys: readonly string[],
  operations: Patch,
  removing: 'add' | 'remove',
  from: unknown,
  to: unknown,
): readonly string[] | undefined {
  let place = keys;
  for (const operation of operations) {
    const next = shifted(place, operation, removing, from);
    if (next === GONE) return undefined;
    place = next ?? moved(place, operation, from, to);
  }
  return place;
}

const GONE: readonly string[] = [];

/**
 * The place after an item of a list on its way came or went. `removing` is the operation that takes an item away in the
 * direction in which we go; `undefined` where the operation says nothing about it.
 */
function shifted(
  keys: readonly string[],
  { op, path }: PatchOperation,
  removing: 'add' | 'remove',
  root: unknown,
): readonly string[] | undefined {
  if (op !== 'add' && op !== 'remove') return undefined;
  const at = parsePointer(path);
  const last = at.length - 1;
  if (last < 0 || keys.length < at.length || !startsWith(keys, at.slice(0, last))) return undefined;
  const list = lookUp(root, at.slice(0, last))?.value;
  if (!Array.isArray(list)) return undefined;
  const [index, own] = [Number(at[last]), Number(keys[last])];
  if (index > own) return undefined;
  if (op === removing && index === own) return GONE;
  const next = op === removing ? own - 1 : own + 1;
  return [...keys.slice(0, last), String(next), ...keys.slice(last + 1)];
}

/** The place of an item of a list that was replaced as a whole, as when it was sorted: where the same item stands. */
function moved(keys: readonly string[], { op, path }: PatchOperation, from: unknown, to: unknown): readonly string[] {
  if (op !== 'replace') return keys;
  const at = parsePointer(path);
  if (keys.length <= at.length || !startsWith(keys, at)) return keys;
  const [here, there] = [lookUp(from, at)?.value, lookUp(to, at)?.value];
  if (!Array.isArray(here) || !Array.isArray(there)) return keys;
  const item: unknown = here[Number(keys[at.length])];
  const same = there.flatMap((other, i) => (sameData(other, item) ? [i] : []));
  return same.length === 1 ? [...at, String(same[0]), ...keys.slice(at.length + 1)] : keys;
}

const startsWith = (keys: readonly string[], start: readonly string[]): boolean =>
  start.every((key, i) => keys[i] === key);
