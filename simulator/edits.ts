// What actions do to states: the same functions edit drafts in Floe and plain copies in the model.
import { Planned } from './planned.js';
import type { Plain } from './model/plain.js';

/** What an action carries: a small number, and a text that no other action of the program has. */
export interface Payload {
  readonly x: number;
  readonly note: string;
}

/** Edits a state, or returns the next one. */
export type Edit = (state: Plain, payload: Payload) => Plain;

/** A kind of store. */
export interface Kind {
  readonly begin: () => Plain;
  readonly edits: Readonly<Record<string, Edit>>;
}

/** Values that are easily taken for each other. */
const ODD: readonly (() => Plain)[] = [
  () => null,
  () => NaN,
  () => 0,
  () => -0,
  () => undefined,
  () => Infinity,
  () => 5n,
  () => '',
  () => new Date(7),
  () => new Map([['a', { b: 1 }]]),
  () => new Set([1, 'two']),
  () => [],
  () => ({}),
  () => new Date(NaN),
];

/** Drafts refuse descriptors, and plain objects need one for `__proto__`. */
function put(target: Plain, key: string, value: unknown): void {
  try {
    Object.defineProperty(target, key, { value, writable: true, enumerable: true, configurable: true });
  } catch {
    target[key] = value;
  }
}

const KEYS = ['a', 'b/c', '~', '__proto__', '0', 'toString'];

const tide: Kind = {
  begin: () => ({ n: 0, last: null, log: [], secret: '' }),
  edits: {
    raised: (state, { x }) => void (state.n = Number(state.n) + (x % 3) + 1),
    noted: (state, { note }) => void state.log.push(note),
    set: (state, { x }) => void (state.last = ODD[x % ODD.length]()),
    doubled: (state) => void (state.n = state.n * 2),
    lowered: (state, { x }) => {
      state.n -= (x % 4) + 1;
      if (state.n < 0) throw new Planned('the tide is too low');
    },
    flattened: (state, { x, note }) => ({ ...state, n: x % 7, log: x % 2 === 0 ? [note] : state.log }),
    stuck: (state) => {
      state.n = -99;
      throw new Planned('the gauge is stuck');
    },
    hidden: (state, { x, note }) => void (state.secret = x % 4 === 3 ? '' : `secret-of-${note}`),
    rinsed: (state) => void state.log.splice(0),
  },
};

const board: Kind = {
  begin: () => ({ list: [], picked: null, notes: {}, seen: new Map(), at: new Date(0) }),
  edits: {
    pushed: ({ list }, { x, note }) => void list.push({ id: note, v: 0, sub: { k: x } }),
    edited: ({ list }, { x }) => {
      if (list.length > 0) list[x % list.length].sub.k++;
    },
    replaced: ({ list }, { x }) => {
      if (list.length > 0) list[x % list.length] = { ...list[x % list.length], v: x };
    },
    spliced: ({ list }, { x, note }) => {
      const at = x % (Number(list.length) + 1);
      if (x % 2 === 0) list.splice(at, x % 3);
      else list.splice(at, 1, { id: note, v: 1, sub: { k: 0 } });
    },
    moved: ({ list }, { x }) => {
      if (list.length > 1) list.splice(x % list.length, 0, ...list.splice((x * 7) % list.length, 1));
    },
    reversed: ({ list }) => void list.reverse(),
    sorted: ({ list }) => void list.sort((a: Plain, b: Plain) => a.sub.k - b.sub.k),
    filtered: (state, { x }) => void (state.list = state.list.filter((_: Plain, i: number) => i !== x % 5)),
    doubled: ({ list }, { x, note }) => {
      if (list.length > 0) list.push({ ...list[x % list.length], id: note });
    },
    remarked: ({ notes }, { x, note }) => {
      const key = KEYS[x % KEYS.length];
      if (Object.hasOwn(notes, key)) Reflect.deleteProperty(notes, key);
      else put(notes, key, note);
    },
    tagged: ({ notes }, { x, note }) => put(notes, note, x),
    mapped: (state, { x, note }) => void (state.seen = new Map([...state.seen, [x % 3, note]])),
    dated: (state, { x }) => void (state.at = new Date((x % 3) * 1000)),
    picked: (state, { x }) => {
      if (state.list.length === 0) throw new Planned('there is nothing to pick');
      state.picked = state.list[x % state.list.length].id;
    },
  },
};

const text = (x: number, most: number): string => String(x % most);

/** The draft of a table and a table of the model have the reading and writing half of `Map` in common. */
const port: Kind = {
  begin: () => ({}),
  edits: {
    renamed: ({ vessel }, { x, note }) => {
      const row = vessel.get(`h${text(x, 3)}`);
      if (!row) throw new Planned('there is no such vessel');
      row.name = note;
    },
    registered: ({ vessel }, { x, note }) =>
      void vessel.set(`h${text(x, 3)}`, { hull: `h${text(x, 3)}`, name: note, operator: x % 2 === 0 ? 'o0' : null }),
    founded: ({ operator }, { x, note }) => void operator.set(`o${text(x, 2)}`, { id: `o${text(x, 2)}`, name: note }),
    dissolved: ({ operator }, { x }) => void operator.delete(`o${text(x, 2)}`),
    scrapped: ({ vessel }, { x }) => void vessel.delete(`h${text(x, 3)}`),
    closed: ({ berth, anchorage }, { x }) => void (x % 2 === 0 ? berth : anchorage).delete(text(x, 3)),
    readmitted: ({ vessel }, { x }) => {
      const key = `h${text(x, 3)}`;
      const row = vessel.get(key);
      if (row && vessel.delete(key)) vessel.set(key, { ...row });
    },
  },
};

export const KINDS = { tide, board, port } as const;
export type KindName = keyof typeof KINDS;
