// The difference of two states as JSON Patch documents, there and back. Parts that are the same object are not looked
// into, and where a draft knows which keys it touched, only those are.
import type { PatchOperation } from './patch.js';
import { KEYED, type Keyed } from './keyed.js';
import { ListAlignment } from './list-alignment.js';
import { movesIn, range, type ListMoves, type ListPlaces } from './list-moves.js';
import { escapeKey, hasOwn, kindOf, same } from './plain.js';
import { originOf, type Touches } from './touches.js';

const noTouches: Touches = { get: () => undefined };

/** A patch that leads from one state to the next, and the patch that leads back. */
export interface Difference {
  readonly changes: PatchOperation[];
  readonly undo: PatchOperation[];
  /** Lists of which the patch does not tell where their items went. */
  readonly moves?: readonly ListMoves[] | undefined;
}

/**
 * The JSON Patch from `before` to `after` and its inverse. Paths start with `path`.
 * No operation can be left out; k items put into or taken out of an array cost about k operations.
 */
export function difference(before: unknown, after: unknown, path = '', touches?: Touches): Difference {
  const { changes, undo, moves } = new Differ(touches ?? noTouches, touches !== undefined).run(before, after, path);
  undo.reverse();
  return moves ? { changes, undo, moves } : { changes, undo };
}

/** What changed in the whole state tree: stores by name, and what drafts know of it. */
export interface ChangedStates {
  readonly changed: readonly {
    readonly store: { readonly name: string };
    readonly before: unknown;
    readonly after: unknown;
    readonly joined?: boolean;
  }[];
  readonly touches?: Touches | undefined;
}

/**
 * The JSON Patch of the whole state tree that a transition comes to, and its inverse. It stands here and not with the
 * transition, so that an application without a trace does not ship it.
 */
export function differenceOf({ changed, touches }: ChangedStates): Difference {
  const all: { changes: PatchOperation[]; undo: PatchOperation[]; moves?: readonly ListMoves[] } = {
    changes: [],
    undo: [],
  };
  for (const { store, before, after, joined } of changed) {
    const path = `/${escapeKey(store.name)}`;
    const one: Difference = joined
      ? { changes: [{ op: 'add', path, value: after }], undo: [{ op: 'remove', path }] }
      : difference(before, after, path, touches);
    all.changes.push(...one.changes);
    all.undo.unshift(...one.undo);
    if (one.moves) all.moves = [...(all.moves ?? []), ...one.moves];
  }
  return all;
}

const isObject = (value: unknown): value is object => typeof value === 'object' && value !== null;

/** The JSON Patch from one state tree to another, and its inverse: each operation is about one store. */
export function differenceOfStates(
  before: Readonly<Record<string, unknown>>,
  after: Readonly<Record<string, unknown>>,
): Difference {
  const all: Difference = { changes: [], undo: [] };
  for (const name of new Set([...Object.keys(before), ...Object.keys(after)])) {
    const path = `/${escapeKey(name)}`;
    const [was, is] = [hasOwn(before, name), hasOwn(after, name)];
    if (was && is) {
      const { changes, undo } = difference(before[name], after[name], path);
      all.changes.push(...changes);
      all.undo.unshift(...undo);
      continue;
    }
    const remove = { op: 'remove', path } as const;
    const add = { op: 'add', path, value: (is ? after : before)[name] } as const;
    all.changes.push(is ? add : remove);
    all.undo.unshift(is ? remove : add);
  }
  return all;
}

class Differ implements Difference {
  readonly changes: PatchOperation[] = [];
  readonly undo: PatchOperation[] = [];
  /** Counts what both sides had in common; a subtree with nothing in common is replaced by one operation. */
  private common = 0;
  moves: ListMoves[] | undefined;
  /** @param follows whether to tell where items of lists went */
  constructor(
    private readonly touches: Touches,
    private readonly follows: boolean,
  ) {}

  run(before: unknown, after: unknown, path: string): this {
    this.compare(before, after, path);
    return this;
  }

  private compare(before: unknown, after: unknown, path: string): void {
    if (same(before, after)) {
      this.common++;
      return;
    }
    const kind = kindOf(before);
    if (kind === 0 || kind !== kindOf(after)) return this.replace(before, after, path);
    const operations = this.changes.length;
    const common = this.common;
    if (kind === 3) this.tables(before as Keyed, after as Keyed, path);
    else if (kind === 1) this.objects(before as Record<string, unknown>, after as Record<string, unknown>, path);
    else this.arrays(before as unknown[], after as unknown[], path);
    // Several operations that keep nothing say less than one that replaces the whole.
    if (this.common === common && this.changes.length > operations + 1) {
      this.changes.length = this.undo.length = operations;
      this.replace(before, after, path);
    }
  }

  private replace(before: unknown, after: unknown, path: string): void {
    this.changes.push({ op: 'replace', path, value: after });
    this.undo.push({ op: 'replace', path, value: before });
  }
  private add(path: string, value: unknown): void {
    this.changes.push({ op: 'add', path, value });
    this.undo.push({ op: 'remove', path });
  }
  private remove(path: string, value: unknown): void {
    this.changes.push({ op: 'remove', path });
    this.undo.push({ op: 'add', path, value });
  }

  private objects(before: Record<string, unknown>, after: Record<string, unknown>, path: string): void {
    const touch = this.touches.get(after);
    if (touch && !touch.moved && touch.base === before) {
      this.common++;
      for (const key of touch.keys ?? []) this.property(before, after, key, path);
      return;
    }
    for (const key of Object.keys(before)) this.property(before, after, key, path);
    for (const key of Object.keys(after)) if (!hasOwn(before, key)) this.add(`${path}/${escapeKey(key)}`, after[key]);
  }

  private property(before: Record<string, unknown>, after: Record<string, unknown>, key: string, path: string): void {
    const at = `${path}/${escapeKey(key)}`;
    if (!hasOwn(after, key)) {
      if (hasOwn(before, key)) this.remove(at, before[key]);
    } else if (!hasOwn(before, key)) this.add(at, after[key]);
    else this.compare(before[key], after[key], at);
  }

  /** Rows that come elsewhere than at the end say before which one; see `before` in `PatchOperation`. */
  private tables(before: Keyed, after: Keyed, path: string): void {
    const kind = before[KEYED];
    const { changed, removed, added } = kind.difference(before, after);
    if (before.size > changed.length + removed.length) this.common++;
    const at = (key: string): string => `${path}/${escapeKey(key)}`;
    for (const key of removed) {
      const next = kind.keyAfter(before, key);
      this.changes.push({ op: 'remove', path: at(key) });
      this.undo.push({ op: 'add', path: at(key), value: before.get(key), ...(next !== undefined && { before: next }) });
    }
    for (const key of changed) this.compare(before.get(key), after.get(key), at(key));
    // From the last to the first, so that the row after it is always there.
    for (const key of [...added].reverse()) {
      const next = kind.keyAfter(after, key);
      this.changes.push({
        op: 'add',
        path: at(key),
        value: after.get(key),
        ...(next !== undefined && { before: next }),
      });
      this.undo.push({ op: 'remove', path: at(key) });
    }
  }

  private arrays(before: unknown[], after: unknown[], path: string): void {
    const touch = this.touches.get(after);
    if (touch && !touch.moved && touch.base === before) {
      const { keys = [] } = touch;
      const shorter = Math.min(before.length, after.length);
      if (keys.reduce((count, key) => count + (Number(key) < shorter ? 1 : 0), 0) < shorter) this.common++;
      return this.touchedItems(before, after, keys, path);
    }
    const listsBefore = this.listsWithMoves;
    const alignment = new ListAlignment(before, after, this.touches);
    const { start, oldEnd, newEnd, script, onlyEqual } = alignment;
    const { follows } = this;
    const places = (from: number, olds: number, news: number) => ({
      ...{ before, after },
      ...{ olds: range(from, olds), news: range(from, news) },
    });
    if (script === undefined) {
      this.replace(before, after, path);
      if (follows) this.follow({ ...places(0, before.length, after.length), implied: () => -1 }, path, listsBefore);
      return;
    }
    for (let i = 0; i < start; i++) this.keep(alignment, i, i, path);
    const pairs =
      follows && (onlyEqual || (script.includes('-') && script.includes('+')))
        ? new Int32Array(oldEnd - start).fill(-1)
        : undefined;
    this.play(alignment, script, path, pairs);
    for (let i = oldEnd; i < before.length; i++) this.keep(alignment, i, i - oldEnd + newEnd, path);
    if (!pairs) return;
    const implied = (i: number): number => (i < start ? i : i < oldEnd ? pairs[i - start] : i - oldEnd + newEnd);
    const part = onlyEqual ? places(0, before.length, after.length) : places(start, oldEnd, newEnd);
    this.follow({ ...part, implied }, path, listsBefore);
  }

  private get listsWithMoves(): number {
    return this.moves?.length ?? 0;
  }

  /**
   * Tells where items went, where the patch says something else.
   * @param listsBefore how many lists had moves noted before this one: what was noted of lists inside it follows the patch
   */
  private follow(places: ListPlaces, path: string, listsBefore: number): void {
    const items = movesIn(places, this.touches);
    if (items.length === 0) return;
    const { before, after, implied } = places;
    const at = (index: number): string => `${path}/${index}`;
    const wrong = items.map(([i]) => at(implied(i)));
    const inside = (this.moves ?? [])
      .splice(listsBefore)
      .filter(({ list }) => !wrong.some((item) => list === item || list.startsWith(`${item}/`)));
    (this.moves ??= []).push({ list: path, items }, ...inside);
    // The patch says nothing true of what is in them.
    for (const [i, j] of items) if (j !== null) this.inside(before[i], after[j], at(j));
  }

  /** Tells of all lists inside an item that moved. */
  private inside(before: unknown, after: unknown, path: string): void {
    if (before === after) return;
    const kind = kindOf(before);
    if (kind === 0 || kind !== kindOf(after)) return;
    if (kind === 3) {
      const [old, now] = [before as Keyed, after as Keyed];
      for (const key of old[KEYED].difference(old, now).changed)
        this.inside(old.get(key), now.get(key), `${path}/${escapeKey(key)}`);
    } else if (kind === 1) {
      const [old, now] = [before as Record<string, unknown>, after as Record<string, unknown>];
      for (const key of Object.keys(old))
        if (hasOwn(now, key)) this.inside(old[key], now[key], `${path}/${escapeKey(key)}`);
    } else this.listInside(before as unknown[], after as unknown[], path);
  }

  private listInside(before: unknown[], after: unknown[], path: string): void {
    const all = { olds: range(0, before.length), news: range(0, after.length) };
    const implied = (i: number): number => (i < after.length ? i : -1);
    const items = movesIn({ before, after, ...all, implied }, this.touches);
    if (items.length > 0) this.moves!.push({ list: path, items });
    const went = new Map(items);
    for (const i of all.olds) {
      const j = went.has(i) ? went.get(i)! : implied(i);
      if (j !== null && j >= 0) this.inside(before[i], after[j], `${path}/${j}`);
    }
  }

  /** Assigned, appended and cut-off items of an array in which nothing moved. */
  private touchedItems(before: unknown[], after: unknown[], keys: readonly string[], path: string): void {
    const listsBefore = this.listsWithMoves;
    // An array has no holes: what was appended was touched in its order.
    for (const key of keys) {
      const index = Number(key);
      if (index >= after.length) continue;
      if (index < before.length) this.compare(before[index], after[index], `${path}/${index}`);
      else this.add(`${path}/${index}`, after[index]);
    }
    for (let index = before.length - 1; index >= after.length; index--) this.remove(`${path}/${index}`, before[index]);
    if (!this.follows || !keys.some((key) => this.isAnother(before[Number(key)], after[Number(key)]))) return;
    const touched = keys.map(Number);
    const olds = touched.filter((index) => index < before.length);
    const news = touched.filter((index) => index < after.length);
    this.follow({ before, after, olds, news, implied: (i) => (i < after.length ? i : -1) }, path, listsBefore);
  }

  /** Whether what was assigned is an item that stood elsewhere in the list, or a new one in the place of another. */
  private isAnother(old: unknown, now: unknown): boolean {
    return isObject(old) && isObject(now) && old !== now && originOf(now, this.touches) !== old;
  }

  private keep({ before, after }: Pick<ListPlaces, 'before' | 'after'>, from: number, to: number, path: string): void {
    if (before[from] === after[to]) this.common++;
    else this.compare(before[from], after[to], `${path}/${to}`);
  }

  /** Turns a script into operations; a run of removals beside a run of insertions pairs up versions of one item. */
  private play(alignment: ListAlignment, script: readonly string[], path: string, pairs: Int32Array | undefined): void {
    const { before, after, start } = alignment;
    let from = start;
    let to = start;
    for (let i = 0; i < script.length;) {
      if (script[i] === '=') {
        if (pairs) pairs[from - start] = to;
        this.keep(alignment, from++, to++, path);
        i++;
        continue;
      }
      let removed = 0;
      let added = 0;
      while (i < script.length && script[i] !== '=') {
        if (script[i++] === '-') removed++;
        else added++;
      }
      const paired = Math.min(removed, added);
      for (let p = 0; p < paired; p++, from++, to++) {
        if (pairs) pairs[from - start] = to;
        if (alignment.alike(before[from], after[to])) this.compare(before[from], after[to], `${path}/${to}`);
        else this.replace(before[from], after[to], `${path}/${to}`);
      }
      for (let p = paired; p < removed; p++) this.remove(`${path}/${to}`, before[from++]);
      for (let p = paired; p < added; p++, to++) this.add(`${path}/${to}`, after[to]);
    }
  }
}
