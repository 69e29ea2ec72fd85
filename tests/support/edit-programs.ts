// Random programs of edits on plain data. The same program runs on a draft and on a deep copy of the state: the copy is
// the model, since a draft should behave like the plain mutable data that it looks like.
import fc from 'fast-check';

export type Json = null | boolean | number | string | Json[] | { [key: string]: Json };
type Box = Json[] | { [key: string]: Json };

export interface Edit {
  readonly kind: string;
  /** Which way to go down to the container that is edited. */
  readonly way: readonly number[];
  /** A second way, for moves and copies. */
  readonly other: readonly number[];
  readonly n: number;
  readonly m: number;
  readonly value: Json;
}

const keys = ['a', 'b', 'c', 'list', 'x/y', 'm~n', ''];
const key = fc.constantFrom(...keys);

const { data } = fc.letrec<{ data: Json; leaf: Json }>((tie) => ({
  leaf: fc.oneof(fc.constantFrom(null, true, false, '', 'berth'), fc.integer({ min: -3, max: 9 })),
  data: fc.oneof(
    { depthSize: 'small', maxDepth: 3, withCrossShrink: true },
    tie('leaf'),
    fc.array(tie('data'), { maxLength: 5 }),
    fc.dictionary(key, tie('data'), { maxKeys: 4, noNullPrototype: true }),
  ),
}));

export const someData = data;
export const someState = fc.record({
  a: data,
  list: fc.array(data, { maxLength: 6 }),
  deep: fc.record({ b: data, c: data }),
}) as fc.Arbitrary<Record<string, Json>>;

export const editKinds = [
  'set',
  'set',
  'setSame',
  'setEqual',
  'delete',
  'push',
  'pop',
  'shift',
  'unshift',
  'splice',
  'sort',
  'reverse',
  'length',
  'fill',
  'copyWithin',
  'move',
  'alias',
  'wrap',
  'spread',
  'moveItem',
  'editAll',
  'through',
  'through',
  'read',
] as const;

export const someEdit: fc.Arbitrary<Edit> = fc.record({
  kind: fc.constantFrom(...editKinds),
  way: fc.array(fc.nat(6), { maxLength: 4 }),
  other: fc.array(fc.nat(6), { maxLength: 4 }),
  n: fc.nat(9),
  m: fc.nat(4),
  value: data,
});

const isBox = (value: unknown): value is Box => typeof value === 'object' && value !== null;

function find(root: Box, way: readonly number[]): Box {
  let at = root;
  for (const n of way) {
    const boxes = Object.values(at).filter(isBox);
    if (boxes.length === 0) break;
    at = boxes[n % boxes.length]!;
  }
  return at;
}

const holds = (outer: Json, inner: Box): boolean =>
  outer === inner || (isBox(outer) && Object.values(outer).some((part) => holds(part, inner)));

// Copies of copies would double with every step.
const isSmall = (box: Box, letters: number): boolean => JSON.stringify(box).length < letters;

/** Goes through a list in one of several ways, and edits it on the way. Gives what came by. */
function goThrough(list: Json[], n: number, m: number): string {
  const seen: unknown[] = [];
  const look = (item: Json, at: unknown, all: Json[]): boolean => {
    seen.push(at, item, all === list);
    if (seen.length === 3 * (1 + (m % 2))) {
      if (n % 3 === 0) list.pop();
      else if (n % 3 === 1) list.push(n);
      else list.length = 0;
    }
    if (isBox(item) && !Array.isArray(item)) item.c = n;
    return seen.length % 4 === n % 4;
  };
  const ways = [
    () => {
      // A list that grows on the way would have no end.
      for (const item of list) if (seen.length > 60 || look(item, 'of', list)) break;
      return 'of';
    },
    () => {
      list.forEach(look);
      return 'each';
    },
    () => list.map(look),
    () => list.filter(look),
    () => list.find(look),
    () => list.findIndex(look),
    () => list.some(look),
    () => list.every(look),
    () => list.reduce((count: number, item, at, all) => (look(item, at, all), count + 1), 0),
    () => list.length > 0 && list.reduce((found, item, at, all) => (look(item, at, all) ? item : found)),
  ];
  return JSON.stringify([seen, ways[n % 10]()]);
}

/** Counts of each kind of edit that had something to work on. */
export type Tally = Map<string, number>;

/** Runs a program on plain mutable data, or on a draft. */
export function runEdits(root: Box, program: readonly Edit[], tally?: Tally): void {
  for (const edit of program) {
    if (runEdit(root, edit)) tally?.set(edit.kind, (tally.get(edit.kind) ?? 0) + 1);
  }
}

function runEdit(root: Box, { kind, way, other, n, m, value }: Edit): boolean {
  const box = find(root, way);
  const fresh = structuredClone(value);
  const names = Object.keys(box);
  const name = names.length > 0 ? names[n % names.length] : keys[n % keys.length];
  if (Array.isArray(box)) {
    const i = box.length === 0 ? 0 : n % box.length;
    switch (kind) {
      case 'set':
        box[n % (box.length + 1)] = fresh;
        return true;
      case 'setSame':
        if (box.length > 0) box[i] = box[i]!;
        return box.length > 0;
      case 'setEqual':
        if (box.length > 0) box[i] = structuredClone(plain(box[i]!));
        return box.length > 0;
      case 'push':
        box.push(fresh, n);
        return true;
      case 'pop':
        return box.pop() !== undefined;
      case 'shift':
        return box.shift() !== undefined;
      case 'unshift':
        box.unshift(fresh);
        return true;
      case 'splice': {
        const [first] = box.splice(n % (box.length + 1), m, ...(n % 2 ? [fresh] : []));
        // What was taken out can still be edited and put back.
        if (isBox(first) && n % 3 === 0 && !Array.isArray(first)) {
          first.b = n;
          box.push(first);
        }
        return true;
      }
      case 'sort':
        box.sort((a, b) =>
          String(isBox(a) ? Object.keys(a).length : a).localeCompare(String(isBox(b) ? Object.keys(b).length : b)),
        );
        return true;
      case 'reverse':
        box.reverse();
        return true;
      case 'length':
        box.length = Math.max(0, box.length - m);
        return true;
      case 'fill':
        if (!isBox(fresh)) box.fill(fresh, i, i + m);
        return !isBox(fresh);
      case 'copyWithin':
        if (!box.some(isBox)) box.copyWithin(0, i, i + m);
        return !box.some(isBox);
      case 'moveItem': {
        if (box.length < 2) return false;
        const [item] = box.splice(i, 1);
        box.splice(m % (box.length + 1), 0, item);
        return true;
      }
      case 'editAll':
        for (const part of box) if (isBox(part) && !Array.isArray(part)) part.a = n;
        return true;
      case 'through':
        if (!isSmall(root, 3000)) return false;
        box.push(goThrough(box, n, m));
        return true;
    }
  } else {
    switch (kind) {
      case 'set':
        box[keys[n % keys.length]] = fresh;
        return true;
      case 'setSame':
        if (names.length > 0) box[name] = box[name]!;
        return names.length > 0;
      case 'setEqual':
        if (names.length > 0) box[name] = structuredClone(plain(box[name]!));
        return names.length > 0;
      case 'delete':
        return delete box[name];
      case 'spread': {
        const copy = { ...box };
        if (!isSmall(box, 300) || !isSmall(root, 3000)) return false;
        box[keys[m % keys.length]] = copy;
        return true;
      }
      case 'editAll':
        for (const part of Object.values(box)) if (Array.isArray(part)) part.push(m);
        return true;
    }
  }
  switch (kind) {
    case 'move':
    case 'alias':
    case 'wrap': {
      const target = find(root, other);
      const part = (box as Record<string, Json>)[name];
      if (
        !isBox(part) ||
        !isSmall(part, 300) ||
        !isSmall(root, 3000) ||
        holds(part, target) ||
        (kind === 'move' && Array.isArray(box))
      )
        return false;
      if (kind === 'move') Reflect.deleteProperty(box, name);
      const put = kind === 'wrap' ? { within: [part, n] } : part;
      if (Array.isArray(target)) target.push(put);
      else target[keys[m % keys.length]] = put;
      return true;
    }
    case 'read':
      JSON.stringify(box);
      return name in box && [...Object.entries(box)].length >= 0;
  }
  return false;
}

/** A deep copy as plain data, of a draft too. */
export const plain = <T extends Json>(value: T): T => JSON.parse(JSON.stringify(value)) as T;
