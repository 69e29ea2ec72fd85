// The array methods that go through the items of a draft or of a tracking proxy: they ask what is behind it, instead of calling a
// trap for each index. What comes out is what the same methods of any array give.
import { NODE } from './plain.js';

/** What is behind a draft or a tracking proxy of a list. */
export interface Listing {
  /** Begins to go through it. Gives how many items there are. */
  begin(): number;
  /** How many there are by now. */
  readonly size: number;
  item(index: number): unknown;
}

type Callback = (item: unknown, index: number, list: unknown[]) => unknown;
type Folding = (result: unknown, item: unknown, index: number, list: unknown[]) => unknown;

const listing = (list: unknown[]): Listing => (list as unknown as { readonly [NODE]: Listing })[NODE];

/** Whether a key of a list is one of an item: no other begins with a digit. */
export const isDigit = (key: string): boolean => key.charCodeAt(0) <= 57;

/**
 * Goes through the items of a list, until told to stop. What is edited on the way is seen from then on, as in any array:
 * no more items than there were, and none that have gone but where `all` are asked for.
 */
function through(
  list: unknown[],
  { fn, self, all }: { readonly fn: Callback; readonly self?: unknown; readonly all?: boolean },
  stops: (result: unknown, item: unknown, index: number) => unknown,
): number {
  const items = listing(list);
  const count = items.begin();
  for (let i = 0; i < count && (all === true || i < items.size); i++) {
    const item = items.item(i);
    if (stops(fn.call(self, item, i, list), item, i)) break;
  }
  return count;
}

export const listReads: Record<string, (this: unknown[], ...args: never[]) => unknown> = {
  __proto__: null as never,
  forEach(fn: Callback, self?: unknown) {
    through(this, { fn, self }, () => false);
  },
  map(fn: Callback, self?: unknown) {
    const results: unknown[] = [];
    results.length = through(this, { fn, self }, (result, _item, i) => {
      results[i] = result;
    });
    return results;
  },
  filter(fn: Callback, self?: unknown) {
    const found: unknown[] = [];
    through(this, { fn, self }, (result, item) => {
      if (result) found.push(item);
    });
    return found;
  },
  find(fn: Callback, self?: unknown) {
    let found: unknown;
    through(this, { fn, self, all: true }, (result, item) => result && ((found = item), true));
    return found;
  },
  findIndex(fn: Callback, self?: unknown) {
    let found = -1;
    through(this, { fn, self, all: true }, (result, _item, i) => result && ((found = i), true));
    return found;
  },
  some(fn: Callback, self?: unknown) {
    let found = false;
    through(this, { fn, self }, (result) => result && (found = true));
    return found;
  },
  every(fn: Callback, self?: unknown) {
    let holds = true;
    through(this, { fn, self }, (result) => !result && ((holds = false), true));
    return holds;
  },
  reduce(...[fn, ...first]: [Folding, unknown?]) {
    let result = first[0];
    let empty = first.length === 0;
    const fold = (item: unknown, i: number, list: unknown[]): void => {
      result = empty ? item : fn(result, item, i, list);
      empty = false;
    };
    through(this, { fn: fold }, () => false);
    if (empty) throw new TypeError('Reduce of empty array with no initial value');
    return result;
  },
  *values() {
    const items = listing(this);
    items.begin();
    for (let i = 0; i < items.size; i++) yield items.item(i);
  },
};
