// Programs that move, edit and replace items of lists. The same code runs on drafts and on a plain model, whose objects are
// the identities of the items: nothing in the data tells two items apart.
import fc from 'fast-check';

export interface Kid {
  tag?: number;
  m: number;
}
export interface Item {
  /** Which item it is, where a test has to tell them apart. */
  tag?: number;
  n: number;
  kids: Kid[];
}
export interface Board {
  list: Item[];
}

const EDITS = [
  ...(['insert', 'push', 'unshift', 'pop', 'shift', 'remove', 'edit', 'move', 'swap', 'sort', 'reverse'] as const),
  ...(['sortCopy', 'filter', 'reverseCopy', 'replace', 'kidIn', 'kidOut', 'kidEdit', 'kidMove', 'kidReverse'] as const),
];
export interface Edit {
  readonly what: (typeof EDITS)[number];
  readonly a: number;
  readonly b: number;
  readonly v: number;
  /** What a new item is made of: like nothing that is there, so that it is not taken for one that has gone. */
  readonly fresh: number;
  readonly isTagged: boolean;
}
const someEdit = fc.record({
  what: fc.constantFrom(...EDITS, 'edit', 'edit', 'kidEdit', 'insert'),
  a: fc.nat(9),
  b: fc.nat(9),
  v: fc.nat(2),
});

/** Actions of one to three edits each. */
export const someProgram = (isTagged = false, maxLength = 25): fc.Arbitrary<readonly (readonly Edit[])[]> =>
  fc.array(fc.array(someEdit, { minLength: 1, maxLength: 3 }), { maxLength, size: 'max' }).map((actions) => {
    let fresh = 100;
    return actions.map((edits) => edits.map((one) => ({ ...one, fresh: fresh++, isTagged })));
  });

const tagged = <T extends object>(isTagged: boolean, tag: number, item: T): T => (isTagged ? { tag, ...item } : item);
const make = ({ fresh: n, isTagged: is }: Edit): Item =>
  tagged(is, n, { n, kids: [tagged(is, n, { m: n }), tagged(is, n + 0.5, { m: n + 0.5 })] });

/** Does one edit, to a draft or to the model. */
export function edit(board: Board, one: Edit): void {
  const { what, a, b, v, fresh, isTagged } = one;
  const { list } = board;
  const { length } = list;
  if (what === 'insert') return void list.splice(a % (length + 1), 0, make(one));
  if (what === 'push') return void list.push(make(one));
  if (what === 'unshift') return void list.unshift(make(one));
  if (length === 0) return;
  const at = a % length;
  const to = b % length;
  const { kids } = list[at];
  switch (what) {
    case 'pop':
      return void list.pop();
    case 'shift':
      return void list.shift();
    case 'remove':
      return void list.splice(at, 1);
    case 'edit':
      return void (list[at].n = v);
    case 'move':
      return void list.splice(to, 0, ...list.splice(at, 1));
    case 'swap':
      [list[at], list[to]] = [list[to], list[at]];
      return;
    case 'sort':
      return void list.sort((left, right) => left.n - right.n);
    case 'reverse':
      return void list.reverse();
    case 'sortCopy':
      board.list = [...list].sort((left, right) => left.n - right.n);
      return;
    case 'filter':
      board.list = list.filter(({ n }) => n !== v);
      return;
    case 'reverseCopy':
      board.list = list.slice().reverse();
      return;
    case 'replace':
      list[at] = make(one);
      return;
    case 'kidIn':
      return void kids.splice(b % (kids.length + 1), 0, tagged(isTagged, fresh + 0.25, { m: fresh + 0.25 }));
    default:
  }
  if (kids.length === 0) return;
  const kid = b % kids.length;
  if (what === 'kidOut') kids.splice(kid, 1);
  else if (what === 'kidEdit') kids[kid].m = v;
  else if (what === 'kidMove') kids.unshift(...kids.splice(kid, 1));
  else kids.reverse();
}

/**
 * The model of a board: an object is the identity of an item. What comes to equal data is no change of a state, and so none
 * of the model: then everything is who it was.
 */
export class Model {
  board: Board = { list: [] };

  run(edits: readonly Edit[]): void {
    const before = this.board.list.map((item) => ({
      item,
      n: item.n,
      kids: item.kids.map((kid) => ({ kid, m: kid.m })),
    }));
    for (const one of edits) edit(this.board, one);
    const { list } = this.board;
    for (const { item, kids } of before) {
      if (!list.includes(item) || !isSame(item.kids, kids)) continue;
      this.restoreKids(item, kids);
    }
    if (list.length !== before.length) return;
    if (!list.every((item, i) => item.n === before[i].n && isSame(item.kids, before[i].kids))) return;
    for (const { item, n, kids } of before) {
      item.n = n;
      this.restoreKids(item, kids);
    }
    this.board.list = before.map(({ item }) => item);
  }

  private restoreKids(item: Item, kids: readonly { kid: Kid; m: number }[]): void {
    item.kids = kids.map(({ kid, m }) => {
      kid.m = m;
      return kid;
    });
  }
}

const isSame = (kids: readonly Kid[], before: readonly { m: number }[]): boolean =>
  kids.length === before.length && kids.every(({ m }, i) => m === before[i].m);
