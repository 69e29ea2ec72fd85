// Where a value comes from: back through the steps that changed it, though it may have stood elsewhere before.
import type { Patch, PatchOperation } from '../core/index.js';
import {
  type Found,
  isContainer,
  type ListMoves,
  lookUp,
  parsePointer,
  pointerTo,
  sameData,
} from '../core/internal.js';
import { looksAlike } from './alike.js';
import type { Step } from './step.js';
import { patched, type States } from './kept-states.js';

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

/** Follows a value back through time, step by step. */
export class ValueTrail {
  private keys: readonly string[] | undefined;

  /** @param states after the step that is given first */
  constructor(
    pointer: string,
    private after: States,
  ) {
    this.keys = parsePointer(pointer);
  }

  /** The value came into being at the last step: what stood in its place before was something else. */
  get isOver(): boolean {
    return this.keys === undefined;
  }

  /** Goes back before a step. Gives how the step changed the value, if it did. */
  back(step: Step): ValueChange | undefined {
    if (step.changes.length === 0 || !this.keys) return undefined;
    const { after, keys: now } = this;
    const before = patched(after, [step], 'undo');
    const keys = placeBefore(now, step, before, after);
    this.keys = keys;
    this.after = before;
    const is = lookUp(after, now);
    const was = keys && lookUp(before, keys);
    if (sameFound(is, was)) return undefined;
    return { step, pointer: pointerTo(now), ...(was && { before: was.value }), ...(is && { after: is.value }) };
  }
}

/** The steps that changed the value at a pointer, newest first. `steps` come newest first, `states` are those after the first. */
export function* changesOf(pointer: string, steps: Iterable<Step>, states: States): Generator<ValueChange> {
  const trail = new ValueTrail(pointer, states);
  for (const step of steps) {
    const change = trail.back(step);
    if (change) yield change;
    if (trail.isOver) return;
  }
}

const sameFound = (a: Found | undefined, b: Found | undefined): boolean =>
  a === b || (a !== undefined && b !== undefined && sameData(a.value, b.value));

/** Where a value stood before a step; `undefined` where an item of a list came into being. */
function placeBefore(
  keys: readonly string[],
  { changes, moves }: Pick<Step, 'changes' | 'moves'>,
  before: unknown,
  after: unknown,
): readonly string[] | undefined {
  const back = [...changes].reverse();
  const byPatch = (upTo: number): readonly string[] | undefined =>
    carried(keys.slice(0, upTo), back, 'add', { from: after, to: before });
  if (!moves) return byPatch(keys.length);
  const lists = new Map(moves.map(({ list, items }) => [list, items]));
  for (let depth = 0; depth < keys.length; depth++) {
    const items = lists.get(pointerTo(keys.slice(0, depth)));
    if (!items) continue;
    const index = Number(keys[depth]);
    const moved = items.find(([, to]) => to === index);
    if (moved) {
      const list = byPatch(depth);
      return list && besideThePatch([...list, String(moved[0])], { keys, from: depth + 1 }, lists, before);
    }
    // A patch that replaces the list tells nothing of the others: they are new.
    const list = pointerTo(keys.slice(0, depth));
    if (changes.some(({ op, path }) => op === 'replace' && (path === list || list.startsWith(`${path}/`))))
      return undefined;
    const place = byPatch(depth + 1);
    if (!place || items.some(([from]) => from === Number(place[depth]))) return undefined;
  }
  return byPatch(keys.length);
}

/** The way on, below an item that moved: there only moves tell. */
function besideThePatch(
  start: readonly string[],
  { keys, from }: { readonly keys: readonly string[]; readonly from: number },
  lists: ReadonlyMap<string, ListMoves['items']>,
  before: unknown,
): readonly string[] | undefined {
  const place = [...start];
  for (let depth = from; depth < keys.length; depth++) {
    const items = lists.get(pointerTo(keys.slice(0, depth)));
    const index = Number(keys[depth]);
    const moved = items?.find(([, to]) => to === index);
    if (items && !moved && items.some(([old]) => old === index)) return undefined;
    // What was put in at the end was nowhere before.
    const holder = lookUp(before, place)?.value;
    if (!moved && Array.isArray(holder) && index >= holder.length) return undefined;
    place.push(moved ? String(moved[0]) : keys[depth]);
  }
  return place;
}

/** A place carried along operations, in the direction in which `removing` takes items away. */
function carried(
  keys: readonly string[],
  operations: Patch,
  removing: 'add' | 'remove',
  { from, to }: { readonly from: unknown; readonly to: unknown },
): readonly string[] | undefined {
  let place = keys;
  for (const operation of operations) {
    const next = shifted(place, operation, removing, from) ?? moved(place, operation, from, to);
    if (next === GONE) return undefined;
    place = next;
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

/**
 * The place of an item of a list that was replaced as a whole, as when it was put in order: where the only equal one stands,
 * or else one at the same place that looks like another version of it.
 */
function moved(keys: readonly string[], { op, path }: PatchOperation, from: unknown, to: unknown): readonly string[] {
  if (op !== 'replace') return keys;
  const at = parsePointer(path);
  if (keys.length <= at.length || !startsWith(keys, at)) return keys;
  const [here, there] = [lookUp(from, at)?.value, lookUp(to, at)?.value];
  if (!Array.isArray(here) || !Array.isArray(there)) return keys;
  const item: unknown = here[Number(keys[at.length])];
  const same = there.flatMap((other, i) => (sameData(other, item) ? [i] : []));
  if (same.length === 1) return [...at, String(same[0]), ...keys.slice(at.length + 1)];
  const index = Number(keys[at.length]);
  return index < there.length && (!isContainer(item) || looksAlike(item, there[index])) ? keys : GONE;
}

const startsWith = (keys: readonly string[], start: readonly string[]): boolean =>
  start.every((key, i) => keys[i] === key);
