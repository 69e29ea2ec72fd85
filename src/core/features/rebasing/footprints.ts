// Where the pending actions read and wrote, so that those are found which met.
import type { Cell } from '../../kernel/cell.js';
import { ANY, type Footprint, type Way } from './footprint.js';

interface Print {
  readonly order: number;
  readonly gone: boolean;
}

/** The actions that read or wrote at a place, in the order in which they were applied. */
class Places<E extends Print> {
  readonly parts = new Map<string, Places<E>>();
  readonly whole: E[] = [];
  readonly keys: E[] = [];
  readonly writes: E[] = [];
  /** By the key of items that was asked for, whichever they were. */
  readonly each = new Map<string, E[]>();
}

/** Where actions read and wrote. */
export class Footprints<E extends Print> {
  private readonly roots = new Map<Cell, Places<E>>();
  private readonly opaque: E[] = [];

  add(entry: E, { whole, keys, each, writes, isOpaque }: Footprint): void {
    if (isOpaque) this.opaque.push(entry);
    for (const { cell, way } of whole) last(this.place(cell, way).whole, entry);
    for (const { cell, way } of keys) last(this.place(cell, way).keys, entry);
    for (const { cell, way, key } of each)
      last(
        valueIn(this.place(cell, way).each, key, () => []),
        entry,
      );
    for (const { cell, way } of writes) last(this.place(cell, way).writes, entry);
  }

  /** Whether an action that came later read what this one wrote, or wrote there as well. */
  meets(entry: E, { writes }: Footprint): boolean {
    const isLater = (entries: E[]): boolean => {
      while (entries.at(-1)?.gone) entries.pop();
      return entries.length > 0 && entries.at(-1)!.order > entry.order;
    };
    // Who goes through a list has asked for its length: below a place there is nothing to look for.
    const isAsked = ({ each }: Places<E>, key: string | undefined): boolean => {
      for (const [asked, entries] of each)
        if ((key === undefined || asked === key || asked === ANY) && isLater(entries)) return true;
      return false;
    };
    const isBelow = (place: Places<E>): boolean => {
      if (isLater(place.whole) || isLater(place.keys) || isLater(place.writes)) return true;
      for (const part of place.parts.values()) if (isBelow(part)) return true;
      return false;
    };
    if (isLater(this.opaque)) return true;
    return writes.some(({ cell, way, before }) => {
      let place = this.roots.get(cell);
      for (const [i, key] of way.entries()) {
        if (!place) return false;
        if (isLater(place.whole) || isLater(place.writes)) return true;
        if (isAsked(place, way[i + 1])) return true;
        if (!before && i === way.length - 1 && isLater(place.keys)) return true;
        place = place.parts.get(key);
      }
      return place !== undefined && isBelow(place);
    });
  }

  private place(cell: Cell, way: Way): Places<E> {
    let place = valueIn(this.roots, cell, () => new Places<E>());
    for (const key of way) place = valueIn(place.parts, key, () => new Places<E>());
    return place;
  }
}

function valueIn<K, V>(map: Map<K, V>, key: K, make: () => V): V {
  let value = map.get(key);
  if (value === undefined) map.set(key, (value = make()));
  return value;
}

function last<E>(entries: E[], entry: E): void {
  if (entries.at(-1) !== entry) entries.push(entry);
}
