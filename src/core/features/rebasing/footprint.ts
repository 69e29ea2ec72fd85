// What an action read and wrote: two actions that did not meet can be reverted without each other.
import { DraftNode, Editing, ListNode } from '../../draft/draft.js';
import { nodeOf } from '../../draft/draft-faces.js';
import { hasPart, isContainer, isDate, partOf, put, sameData, shallowCopy, type Container } from '../../data/plain.js';
import { KnownTouches, type Touches } from '../../data/touches.js';
import type { AnyAction } from '../../model/action.js';
import { StoreDefinition } from '../../model/store.js';
import type { Cell } from '../../kernel/cell.js';
import type { Extensible } from '../../kernel/feature.js';

export type Way = readonly string[];

/** A place that an action wrote to, and what stood there before; nothing where nothing did. */
interface Write {
  readonly cell: Cell;
  readonly way: Way;
  readonly before: { readonly value: unknown } | undefined;
}

/** A key of the items of a list, whichever they are: `find` and the like ask many of them. */
interface EachKey {
  readonly cell: Cell;
  /** The list. */
  readonly way: Way;
  readonly key: string;
}
/** As many items are asked for a key one by one. */
const MOST_ITEMS = 8;
/** All keys of an item. */
export const ANY = '*';

/** Longer lists of what was read are not worth their cost: the whole state counts as read. */
const MOST_PLACES = 256;

export class Footprint {
  /** Places that were read with all that stands in them. */
  readonly whole: { readonly cell: Cell; readonly way: Way }[] = [];
  /** Places of which the keys, or the length, were asked for. */
  readonly keys: { readonly cell: Cell; readonly way: Way }[] = [];
  readonly each: EachKey[] = [];
  readonly writes: Write[] = [];
  /** It cannot be told what was read or written, or it cannot be undone place by place. */
  isOpaque = false;
}

/**
 * Computes an action once more, and notes what it reads and writes.
 * @param before the states that its handlers are given
 */
export function footprintOf(kernel: Extensible, action: AnyAction, before: ReadonlyMap<Cell, unknown>): Footprint {
  const print = new Footprint();
  for (const { cell, changes } of kernel.handlers.to(action).stores) {
    if (cell.store.completed !== StoreDefinition.prototype.completed) print.isOpaque = true;
    if (print.isOpaque) break;
    if (!before.has(cell)) continue;
    const watched = new Watched(print, cell);
    const own = cell.editing;
    cell.editing = watched.editing;
    try {
      const base = before.get(cell);
      const after = kernel.computing.all(
        cell,
        changes.map((change) => watched.change(change as never) as never),
        base,
        action,
      );
      watched.noteWrites(base, after);
    } catch {
      print.isOpaque = true;
    } finally {
      cell.editing = own;
    }
  }
  if (print.whole.length + print.keys.length + print.each.length > MOST_PLACES) print.isOpaque = true;
  return print;
}

/** A change of one store, whose drafts say what they are asked. */
class Watched {
  readonly editing = new Editing();
  private readonly ways = new Map<DraftNode, Way>();
  private readonly written = new Map<string, Way>();
  /** Of drafts in items that were gone through: the list, and the key of the item. */
  private readonly items = new Map<DraftNode, { readonly way: Way; readonly key: string | undefined }>();
  private readonly asked = new Map<string, number>();
  private isOn = false;

  constructor(
    private readonly print: Footprint,
    private readonly cell: Cell,
  ) {
    this.editing.began = (node) => this.look(node);
  }

  change(change: (draft: unknown, payload: unknown) => unknown) {
    return (draft: unknown, payload: unknown): unknown => {
      this.isOn = true;
      try {
        const returned = change(draft, payload);
        // It may hold anything that was read.
        if (returned !== undefined) this.print.isOpaque = true;
        return returned;
      } finally {
        this.isOn = false;
      }
    };
  }

  /** The places that now have another value. */
  noteWrites(base: unknown, after: unknown): void {
    const { print, cell } = this;
    const written = [...this.written.values()].sort((a, b) => a.length - b.length);
    const outermost: Way[] = [];
    for (const way of written) if (!outermost.some((outer) => isWithin(way, outer))) outermost.push(way);
    for (const way of outermost) {
      const before = lookUp(base, way);
      // Put in again, a key would stand behind those that are there.
      if (before && !lookUp(after, way)) print.isOpaque = true;
      print.writes.push({ cell, way, before });
    }
  }

  /** Has a draft say what it is asked. */
  private look(node: DraftNode): void {
    const { print, cell } = this;
    const isList = node instanceof ListNode;
    if (!isList && Object.getPrototypeOf(node) !== DraftNode.prototype) {
      print.isOpaque = true;
      return;
    }
    if (!node.parent) this.ways.set(node, []);
    const way = (key: string): Way => [...this.wayTo(node), key];
    const read = (key: string, value: unknown): unknown => {
      if (!this.isOn) return value;
      const inner = nodeOf(value);
      const item = this.items.get(node);
      if (inner) {
        if (!this.ways.has(inner)) this.ways.set(inner, way(key));
        if (item && !this.items.has(inner)) this.items.set(inner, { way: item.way, key: item.key ?? key });
      } else if (item && this.isMany(item.way, item.key ?? key)) return value;
      else if (isList && key === 'length') this.noteKeys(node);
      else if (typeof value !== 'function') print.whole.push({ cell, way: way(key) });
      return value;
    };
    const write = (key: string, value: unknown): void => {
      if (!this.isOn) return;
      this.useWhole(value, new Set());
      if (!hasPart(node.source, key)) this.noteKeys(node);
      const place = way(key);
      this.written.set(JSON.stringify(place), place);
    };
    const { part, assign, remove, has, allKeys } = node;
    node.part = (key) => read(key, part.call(node, key));
    node.assign = (key, value) => {
      write(key, value);
      // Lists write to their copy in a way that others must not.
      const outer = this.isOn;
      this.isOn = false;
      assign.call(node, key, value);
      this.isOn = outer;
    };
    node.remove = (key) => {
      write(key, undefined);
      remove.call(node, key);
    };
    node.has = (key) => {
      if (this.isOn && !this.noteItem(node)) print.whole.push({ cell, way: way(String(key)) });
      return has.call(node, key);
    };
    node.allKeys = () => {
      this.noteKeys(node);
      return allKeys.call(node);
    };
    if (isList) this.lookAtList(node);
  }

  private lookAtList(list: ListNode): void {
    const { begin, item, edit, placeOf } = list;
    list.begin = () => {
      this.noteKeys(list);
      return begin.call(list);
    };
    list.item = (index) => {
      const value = item.call(list, index);
      if (!this.isOn) return value;
      const way = this.wayTo(list);
      const inner = nodeOf(value);
      if (!inner) {
        if (!this.isMany(way, ANY)) this.print.whole.push({ cell: this.cell, way: [...way, String(index)] });
      } else if (!this.ways.has(inner)) {
        this.ways.set(inner, [...way, String(index)]);
        this.items.set(inner, { way, key: undefined });
      }
      return value;
    };
    list.edit = () => {
      // Items move, or one goes.
      if (this.isOn) this.print.isOpaque = true;
      return edit.call(list);
    };
    list.placeOf = (...given) => {
      this.print.isOpaque = true;
      return placeOf.apply(list, given);
    };
  }

  private noteKeys(node: DraftNode): void {
    if (this.isOn && !this.noteItem(node)) this.print.keys.push({ cell: this.cell, way: this.wayTo(node) });
  }

  /** Where a draft stands in an item that was gone through: whether all of it counts as read of each item. */
  private noteItem(node: DraftNode): boolean {
    const item = this.items.get(node);
    return item !== undefined && this.isMany(item.way, item.key ?? ANY);
  }

  /** Whether so many items were asked for a key that it counts as asked of each. */
  private isMany(way: Way, key: string): boolean {
    const { asked, print, cell } = this;
    const name = JSON.stringify([way, key]);
    const count = (asked.get(name) ?? 0) + 1;
    asked.set(name, count);
    if (count === MOST_ITEMS) print.each.push({ cell, way, key });
    return count >= MOST_ITEMS;
  }

  /** Drafts in a value that is put somewhere: what stands in them is part of it. */
  private useWhole(value: unknown, above: Set<unknown>): void {
    if (typeof value !== 'object' || value === null || above.has(value)) return;
    const inner = nodeOf(value);
    if (inner) {
      if (!this.noteItem(inner)) this.print.whole.push({ cell: this.cell, way: this.wayTo(inner) });
    } else if (isContainer(value)) {
      above.add(value);
      for (const part of Object.values(value)) this.useWhole(part, above);
    } else if (!isDate(value)) this.print.isOpaque = true;
  }

  private wayTo(node: DraftNode): Way {
    const way = this.ways.get(node);
    if (!way) this.print.isOpaque = true;
    return way ?? [];
  }
}

const isWithin = (way: Way, outer: Way): boolean =>
  outer.length <= way.length && outer.every((key, i) => key === way[i]);

function lookUp(state: unknown, way: Way): { readonly value: unknown } | undefined {
  let value = state;
  for (const key of way) {
    if (!hasPart(value, key)) return undefined;
    value = partOf(value, key);
  }
  return { value };
}

/** The states without what an action wrote, and which places of them differ. */
export function withoutWrites(
  { writes }: Footprint,
  stateOf: (cell: Cell) => unknown,
): { readonly states: ReadonlyMap<Cell, unknown>; readonly touches: Touches } {
  const states = new Map<Cell, unknown>();
  const touches = new KnownTouches();
  for (const { cell, way, before } of writes)
    states.set(cell, putAt(states.has(cell) ? states.get(cell) : stateOf(cell), way, 0, before, touches));
  return { states, touches };
}

function putAt(now: unknown, way: Way, at: number, before: Write['before'], touches: KnownTouches): unknown {
  if (at === way.length) return sameData(now, before?.value) ? now : before?.value;
  const key = way[at];
  const container = now as Container;
  const part = partOf(container, key);
  const isGone = at === way.length - 1 && !before;
  const next = isGone ? undefined : putAt(part, way, at + 1, before, touches);
  if (isGone ? !hasPart(container, key) : Object.is(next, part)) return now;
  const known = touches.get(container);
  const copy = known ? container : shallowCopy(container);
  if (!isGone) put(copy, key, next);
  else if (Array.isArray(copy)) copy.length = Number(key);
  else delete copy[key];
  touches.set(copy, { base: known?.base ?? container, keys: [...(known?.keys ?? []), key], moved: false });
  return copy;
}
