// What some steps changed, place by place: the value before the first of them, and after the last.
import {
  differenceOfStates,
  type Found,
  hasPart,
  isBranch,
  isKeyed,
  KEYED,
  kindOf,
  lookUp,
  parsePointer,
  partOf,
  pointerTo,
  sameData,
} from '../../core/internal.js';
import { applyPatch } from '../../core/index.js';
import type { Step } from '../../trace/index.js';
import { patched, type States, type TraceSource } from '../../trace/internal.js';
import type { ChangeShown, ValueShown } from '../protocol/protocol.js';
import { valueShown } from './values.js';
import { placeLabel } from './words.js';

/** The changes of so many steps are looked at. */
const MOST_STEPS = 100;
/** So many values between the first and the last are shown. */
const MOST_BETWEEN = 3;

interface ChangedPlace {
  readonly keys: readonly string[];
  readonly before: Found | undefined;
  after: Found | undefined;
  readonly between: ValueShown[];
  seq: number;
  readonly order: number;
}

export interface ChangedPlaces {
  /** The places, at most as many as wanted. */
  readonly changes: readonly ChangeShown[];
  readonly count: number;
}

/**
 * The places that steps changed.
 * @param positions of the steps, going up
 * @param most as many places are given
 */
export function changesOfSteps(source: TraceSource, positions: readonly number[], most: number): ChangedPlaces {
  const places = new Map<string, ChangedPlace>();
  let after: States | undefined;
  let at = -2;
  for (const position of positions.slice(0, MOST_STEPS)) {
    const step = source.at(position);
    if (!step || step.changes.length === 0) continue;
    const before = at === position - 1 && after ? after : source.statesAt(position - 1);
    after = patched(before, [step]);
    at = position;
    notePlaces(places, refined(step, before, after), before, after);
  }
  const all = [...places.values()].filter(isDifferent).sort((a, b) => a.order - b.order);
  return {
    changes: all.slice(0, most).map((place) => changeShown(place, after ?? {})),
    count: all.length,
  };
}

/** A patch that replaces a whole tells little: then the places inside that differ. */
function refined(step: Step, before: States, after: States): Pick<Step, 'seq' | 'changes'> {
  const isWhole = step.changes.some(({ op, path }) => {
    if (op !== 'replace') return false;
    const keys = parsePointer(path);
    return isBranch(lookUp(before, keys)?.value) && isBranch(lookUp(after, keys)?.value);
  });
  if (!isWhole) return step;
  const places: string[] = [];
  findDifferent(before, after, [], places);
  return { seq: step.seq, changes: places.map((path) => ({ op: 'remove', path })) };
}

/** So many places are looked for. */
const MOST_PLACES = 500;

/** The innermost places at which two values differ; of lists that grew or shrank, the list. */
export function findDifferent(before: unknown, after: unknown, keys: readonly string[], found: string[]): void {
  if (Object.is(before, after) || found.length >= MOST_PLACES) return;
  const here = (): void => void found.push(pointerTo(keys));
  if (isKeyed(before) && isKeyed(after)) {
    const { changed, removed, added } = before[KEYED].difference(before, after);
    for (const key of changed) findDifferent(before.get(key), after.get(key), [...keys, key], found);
    for (const key of new Set([...removed, ...added])) found.push(pointerTo([...keys, key]));
    return;
  }
  const isAlike = kindOf(before) === kindOf(after) && kindOf(before) > 0;
  if (!isAlike || (Array.isArray(before) && before.length !== (after as readonly unknown[]).length)) {
    if (!sameData(before, after)) here();
    return;
  }
  for (const key of new Set([...Object.keys(before as object), ...Object.keys(after as object)])) {
    if (!hasPart(before, key) || !hasPart(after, key)) found.push(pointerTo([...keys, key]));
    else findDifferent(partOf(before, key), partOf(after, key), [...keys, key], found);
  }
}

/** The places at which two state trees differ. */
export function changesBetween(before: States, after: States, seq: number, most: number): ChangedPlaces {
  const places = new Map<string, ChangedPlace>();
  notePlaces(places, { seq, changes: differenceOfStates(before, after).changes }, before, after);
  const all = [...places.values()].filter(isDifferent);
  return { changes: all.slice(0, most).map((place) => changeShown(place, after)), count: all.length };
}

function notePlaces(
  places: Map<string, ChangedPlace>,
  { seq, changes }: Pick<Step, 'seq' | 'changes'>,
  before: States,
  after: States,
): void {
  let order = places.size;
  for (const { path } of changes) {
    const keys = readablePlace(parsePointer(path), before, after);
    const pointer = pointerTo(keys);
    const around = placeAround(places, keys);
    const now = lookUp(after, keys);
    if (around) {
      around.after = lookUp(after, around.keys);
      around.seq = seq;
      continue;
    }
    const known = places.get(pointer);
    if (known) {
      // One step may change parts of a list one after the other.
      if (known.seq !== seq && known.after) known.between.push(valueShown(known.after.value));
      known.after = now;
      known.seq = seq;
      continue;
    }
    // Changes further in come to this one; what it was before them, the patches no longer tell: it is undone part by part.
    let first = before;
    for (const [inner, place] of places)
      if (inner.startsWith(`${pointer}/`)) {
        first = withValue(first, place);
        places.delete(inner);
      }
    places.set(pointer, { keys, before: lookUp(first, keys), after: now, between: [], seq, order: order++ });
  }
}

/** A change is a difference, in the end or in between. */
const isDifferent = ({ before, after, between }: ChangedPlace): boolean =>
  between.length > 0 || (before === undefined) !== (after === undefined) || !sameData(before?.value, after?.value);

/** A state tree in which a place has the value that it had before the steps. */
function withValue(states: States, { keys, before }: ChangedPlace): States {
  const path = pointerTo(keys);
  const there = lookUp(states, keys);
  if (!before && !there) return states;
  try {
    return applyPatch(states, [
      before ? { op: there ? 'replace' : 'add', path, value: before.value } : { op: 'remove', path },
    ]);
  } catch {
    // Its holder is gone as well.
    return states;
  }
}

function placeAround(places: ReadonlyMap<string, ChangedPlace>, keys: readonly string[]): ChangedPlace | undefined {
  for (let length = keys.length - 1; length > 0; length--) {
    const place = places.get(pointerTo(keys.slice(0, length)));
    if (place) return place;
  }
  return undefined;
}

/** Items that come to a list, or go from it, are shown as the list: its other items only moved. */
function readablePlace(keys: readonly string[], before: States, after: States): readonly string[] {
  const holder = keys.slice(0, -1);
  const [was, is] = [lookUp(before, holder)?.value, lookUp(after, holder)?.value];
  const isOfList = Array.isArray(was) && Array.isArray(is) && was.length !== is.length;
  return isOfList ? holder : keys;
}

function changeShown({ keys, before, after, between, seq }: ChangedPlace, states: States): ChangeShown {
  const restored = before !== undefined && after !== undefined && sameData(before.value, after.value);
  const [was, is] = shownPair(before?.value, after?.value);
  return {
    pointer: pointerTo(keys),
    label: placeLabel(pointerTo(keys), states),
    before: before ? was : null,
    after: after ? is : null,
    through: between.slice(-MOST_BETWEEN),
    ...(restored && { restored }),
    seq,
  };
}

/** Of lists that differ at the end, what came or went says more than both as a whole. */
function shownPair(before: unknown, after: unknown): readonly [ValueShown, ValueShown] {
  if (Array.isArray(before) && Array.isArray(after) && before.length !== after.length) {
    const [less, more] = before.length < after.length ? [before, after] : [after, before];
    const [a, b] = [less as readonly unknown[], more as readonly unknown[]];
    const counted = (list: readonly unknown[]): ValueShown => ({
      kind: 'list',
      size: list.length,
      text: list.length === 1 ? '1 item' : `${list.length} items`,
    });
    let start = 0;
    while (start < a.length && same(a[start], b[start])) start++;
    let end = 0;
    while (end < a.length - start && same(a[a.length - 1 - end], b[b.length - 1 - end])) end++;
    if (start + end === a.length) {
      const extra = b.slice(start, b.length - end);
      const shown = valueShown(extra.length === 1 ? extra[0] : extra);
      const marked = {
        ...shown,
        text: `${more === after ? '+' : '−'} ${shown.kind === 'text' ? `“${shown.text}”` : shown.text}`,
      };
      return [counted(before), marked];
    }
    return [counted(before), counted(after)];
  }
  return [valueShown(before), valueShown(after)];
}

const same = (a: unknown, b: unknown): boolean => Object.is(a, b) || (isBranch(a) && isBranch(b) && sameData(a, b));

/** The places that steps changed, as pointers: those of tables down to the row's field. */
export function pointersOf(steps: Iterable<Step>, most: number): string[] {
  const pointers = new Set<string>();
  for (const { changes } of steps)
    for (const { path } of changes) {
      pointers.add(path);
      if (pointers.size >= most) return [...pointers];
    }
  return [...pointers];
}
