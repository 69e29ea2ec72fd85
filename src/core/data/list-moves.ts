// Where the items of a list went. A patch cannot tell an item that moved from one that was taken out and an equal one that
// was put in; drafts can, since they know of each item what it was before.
import { isContainer, sameData } from './plain.js';
import { originOf, type Touches } from './touches.js';

/** Items of one list, where the patch beside it would mislead whoever follows them. */
export interface ListMoves {
  /** The list: a JSON Pointer (RFC 6901) into the state after the step. */
  readonly list: string;
  /** Index before and index after; `null` where the item is gone. */
  readonly items: readonly (readonly [number, number | null])[];
}

/** Some places of a list before and after, and what the patch says became of the items there. */
export interface ListPlaces {
  readonly before: readonly unknown[];
  readonly after: readonly unknown[];
  readonly olds: Iterable<number>;
  readonly news: Iterable<number>;
  /** By index before: the index after of what the patch takes for the same item; -1 for none. */
  readonly implied: (index: number) => number;
}

/**
 * Where the items at some places went, as far as it is not what the patch says. Texts and numbers are left to the patch:
 * one is as good as another that is equal.
 */
export function movesIn({ before, after, olds, news, implied }: ListPlaces, touches: Touches): ListMoves['items'] {
  const went = new Map<number, number>();
  const taken = new Set<number>();
  const match = (i: number, j: number): void => {
    went.set(i, j);
    taken.add(j);
  };
  const isThere = new Set(news);
  /** Objects that are not where the patch says, by what they are. */
  const away = new Map<unknown, number[]>();
  const all = [...olds];
  for (const i of all) {
    const item = before[i];
    if (typeof item !== 'object' || item === null) continue;
    const j = implied(i);
    if (isThere.has(j) && originOf(after[j], touches) === item) match(i, j);
    else away.set(item, [i, ...(away.get(item) ?? [])]);
  }
  for (const j of away.size > 0 ? isThere : []) {
    const i = taken.has(j) ? undefined : away.get(originOf(after[j], touches))?.pop();
    if (i !== undefined) match(i, j);
  }
  const items: [number, number | null][] = [];
  for (const i of all) {
    const j = implied(i);
    let now = went.get(i) ?? -1;
    if (now < 0 && isThere.has(j) && !taken.has(j) && isSuccessor(before[i], after[j], touches)) now = j;
    if (now !== j) items.push([i, now < 0 ? null : now]);
  }
  return items;
}

/** Whether another object stands for the same item: a copy of it, or, where no draft knows better, whatever the patch says. */
const isSuccessor = (before: unknown, after: unknown, touches: Touches): boolean =>
  !isContainer(before) || !isContainer(after) || (touches.wasCopied?.(before) ?? true) || sameData(before, after);

/** The whole numbers from one up to, not including, another. */
export const range = (from: number, to: number): number[] =>
  Array.from({ length: Math.max(0, to - from) }, (_, i) => from + i);
