// Maintained views: which rows of a table, in which order, kept up to date from what changed between two versions of the
// table instead of being computed again.
import { argumentKey, isContainer, isDate, partOf, same } from '../core/internal.js';
import { badView } from './errors.js';
import { Rows, type RowEntry, type Group } from './rows.js';
import {
  countWhile,
  inserted,
  itemAt,
  lengthOf,
  removedAt,
  replacedAt,
  sequenceOf,
  type Sequence,
} from './sequence.js';
import { RowTable } from './table.js';

/** A field to sort by; ascending unless it says otherwise. Numbers, texts, dates and booleans; nothing comes last. */
export type SortBy<Row> =
  (keyof Row & string) | { readonly by: keyof Row & string; readonly order?: 'ascending' | 'descending' };

/** Fields and the values that they must have, or a list of values of which they must have one. */
export type Conditions<Row> = { readonly [K in keyof Row]?: Row[K] | readonly Row[K][] };

/**
 * Which rows, and in which order. Fields say it best: Floe shares views with equal conditions. A function must depend on
 * nothing but its arguments. Declare it once, outside of selectors and components: Floe makes a new view for a new function.
 */
export interface ViewOptions<Row, G extends readonly unknown[] = readonly unknown[]> {
  /** Which rows. Default: all. */
  readonly where?: Conditions<Row> | ((row: Row, ...given: G) => boolean);
  /** Plain data handed on to the functions `where`, `sort` and `group`. Default: none. */
  readonly given?: G;
  /** In which order; rows that are equal in it, and all rows without it, are in the order of the table. Default: that order. */
  readonly sort?: SortBy<Row> | readonly SortBy<Row>[] | ((a: Row, b: Row, ...given: G) => number);
  /** At most so many rows, in each group if there are any. Default: no limit. */
  readonly limit?: number;
}

/** A view in groups: which rows, in which order, and what makes the groups. */
export interface GroupedView<Row, K, G extends readonly unknown[] = readonly unknown[]> extends ViewOptions<Row, G> {
  /** The field, or function, whose value makes the groups. They come in the order of that value. */
  readonly group: K;
}

type AnyRow = Record<string, unknown>;
type Order = (a: AnyRow, b: AnyRow) => number;

/** What the options come to. */
interface Spec {
  readonly where: (row: AnyRow) => boolean;
  readonly order: Order | undefined;
  readonly group: ((row: AnyRow) => unknown) | undefined;
  readonly limit: number;
}

/** Orders two values of a field: numbers, texts, dates, booleans; then `undefined`, `null`, NaN, and dates that are none. */
function compareValues(a: unknown, b: unknown): number {
  const [left, right] = [isDate(a) ? a.getTime() : a, isDate(b) ? b.getTime() : b];
  const nothing = nothingness(a, left) - nothingness(b, right);
  if (nothing !== 0 || nothingness(a, left) > 0) return nothing;
  if (typeof left !== typeof right) return typeof left < typeof right ? -1 : 1;
  return (left as number) < (right as number) ? -1 : (left as number) > (right as number) ? 1 : 0;
}

/** Which kind of nothing a value is; 0 where it is something. */
function nothingness(value: unknown, plain = isDate(value) ? value.getTime() : value): number {
  if (value === undefined) return 1;
  if (value === null) return 2;
  return !Number.isNaN(plain) ? 0 : isDate(value) ? 4 : 3;
}

/** Orders the keys of groups, so that no two of them are equal. */
const compareKeys = (a: GroupKey, b: GroupKey): number =>
  compareValues(a.key, b.key) || (a.identity < b.identity ? -1 : Number(a.identity > b.identity));

/** The value that the rows of a group share, and a text that is the same for equal values. */
interface GroupKey {
  readonly key: unknown;
  readonly identity: string;
}

function specOf(options: Partial<GroupedView<never, unknown>>): Spec {
  const { where, sort, group, limit = Infinity, given = [] } = options;
  if (!(limit >= 0)) throw badView(`limit must be 0 or more (found: ${String(limit)})`);
  return { where: condition(where, given), order: orderOf(sort, given), group: grouping(group, given), limit };
}

function condition(where: unknown, given: readonly unknown[]): Spec['where'] {
  if (where === undefined) return () => true;
  if (typeof where === 'function') {
    const holds = where as (...args: unknown[]) => boolean;
    return given.length === 0 ? holds : (row) => holds(row, ...given);
  }
  if (typeof where !== 'object' || where === null) throw badView("'where' is fields with values, or a function");
  const tests = Object.entries(where);
  return (row) =>
    tests.every(([field, wanted]) =>
      Array.isArray(wanted) ? wanted.some((one) => same(partOf(row, field), one)) : same(partOf(row, field), wanted),
    );
}

function orderOf(sort: unknown, given: readonly unknown[]): Order | undefined {
  if (sort === undefined) return undefined;
  if (typeof sort === 'function') {
    const compare = sort as (...args: unknown[]) => number;
    return given.length === 0 ? compare : (a, b) => compare(a, b, ...given);
  }
  const fields = [sort].flat().map((one: unknown) => {
    const { by, order = 'ascending' } = (typeof one === 'string' ? { by: one } : one) as { by: string; order?: string };
    if (typeof by !== 'string' || (order !== 'ascending' && order !== 'descending'))
      throw badView(
        "'sort' is a field, { by: field, order: 'ascending' | 'descending' }, a list of these, or a function",
      );
    return { by, sign: order === 'descending' ? -1 : 1 };
  });
  return (a, b) => {
    for (const { by, sign } of fields) {
      const found = compareValues(a[by], b[by]);
      // What is missing comes last both ways.
      if (found !== 0) return nothingness(a[by]) > 0 || nothingness(b[by]) > 0 ? found : found * sign;
    }
    return 0;
  };
}

function grouping(group: unknown, given: readonly unknown[]): Spec['group'] {
  if (group === undefined) return undefined;
  if (typeof group === 'string') return (row) => row[group];
  if (typeof group !== 'function') throw badView("'group' is a field or a function");
  const keyOf = group as (...args: unknown[]) => unknown;
  return (row) => keyOf(row, ...given);
}

/** Keeps one list of entries in order. */
class Ordered {
  entries: Sequence<RowEntry<AnyRow>>;
  private result: Rows<AnyRow> | undefined;
  constructor(private readonly spec: Spec) {}

  private readonly compare = (a: RowEntry<AnyRow>, b: RowEntry<AnyRow>): number =>
    this.spec.order?.(a.row, b.row) || a.slot - b.slot;

  fill(entries: RowEntry<AnyRow>[]): void {
    // The order of the table is that of the slots already.
    if (this.spec.order) entries.sort(this.compare);
    this.entries = sequenceOf(entries);
  }
  private indexOf(entry: RowEntry<AnyRow>): number {
    return countWhile(this.entries, (other) => this.compare(other, entry) < 0);
  }
  add(entry: RowEntry<AnyRow>): void {
    this.entries = inserted(this.entries, this.indexOf(entry), entry);
  }
  /** False when it is not where it should be: a function was not the same as before. */
  take(entry: RowEntry<AnyRow>): boolean {
    const index = this.indexOf(entry);
    if (itemAt(this.entries, index)?.key !== entry.key) return false;
    this.entries = removedAt(this.entries, index);
    return true;
  }
  /** A row whose order did not change. */
  replace(old: RowEntry<AnyRow>, entry: RowEntry<AnyRow>): boolean {
    if (this.compare(old, entry) !== 0) return this.take(old) && (this.add(entry), true);
    const index = this.indexOf(old);
    if (itemAt(this.entries, index)?.key !== entry.key) return false;
    this.entries = replacedAt(this.entries, index, entry);
    return true;
  }

  /** The rows as they are now; the same object while they are the same. */
  get rows(): Rows<AnyRow> {
    const { limit } = this.spec;
    if (this.result && this.shown === this.entries) return this.result;
    const now = new Rows(this.entries, limit);
    if (!this.result || !sameRows(this.result, now, limit < Infinity || this.rebuilt)) this.result = now;
    this.shown = this.entries;
    this.rebuilt = false;
    return this.result;
  }
  private shown: Sequence<RowEntry<AnyRow>>;
  /** The list was rebuilt, perhaps with the same rows. */
  rebuilt = false;
}

/** Whether two results hold the same rows; only looked into where that may be so. */
function sameRows(a: Rows<unknown>, b: Rows<unknown>, perhaps: boolean): boolean {
  if (a.length !== b.length) return false;
  if (!perhaps) return a.length === 0;
  let next = 0;
  const others = b.toArray();
  return a.toArray().every((row) => row === others[next++]);
}

interface GroupList extends GroupKey {
  readonly ordered: Ordered;
  group?: Group<AnyRow>;
}

const identityOf = (key: unknown): string =>
  typeof key === 'symbol' || typeof key === 'function' ? String(key) : argumentKey('group', [key]);

/** One view: told the table's next version, it gives the next result. */
export class RowView {
  private readonly spec: Spec;
  private table: RowTable | undefined;
  /** The keys of groups that are objects, by their identity. */
  private readonly data = new Map<string, object>();
  private readonly groups = new Map<unknown, GroupList>();
  /** The groups in the order of their keys, as long as there are the same ones. */
  private inOrder: [unknown, GroupList][] | undefined;
  private shown: Rows<Group<AnyRow>> | undefined;
  private readonly whole: Ordered;

  constructor(options: object) {
    this.spec = specOf(options);
    this.whole = new Ordered(this.spec);
  }

  update(table: RowTable): void {
    const before = this.table;
    if (before === table) return;
    // Cleared until the update has succeeded: after an error of the application's function the next update rebuilds.
    this.table = undefined;
    if (!before || !RowTable.sameSlots(before, table) || !this.follow(before, table)) this.build(table);
    this.table = table;
  }

  /** The rows, or the groups. */
  get result(): Rows<AnyRow> | Rows<Group<AnyRow>> {
    if (!this.spec.group) return this.whole.rows;
    let same = this.shown !== undefined && this.inOrder !== undefined;
    this.inOrder ??= [...this.groups.entries()].sort(([, a], [, b]) => compareKeys(a, b));
    for (const [by, list] of this.inOrder) {
      if (lengthOf(list.ordered.entries) === 0) {
        this.groups.delete(by);
        this.data.delete(list.identity);
        this.inOrder = undefined;
        return this.result;
      }
      const { rows } = list.ordered;
      if (list.group?.rows === rows) continue;
      list.group = { key: list.key, rows };
      same = false;
    }
    if (same) return this.shown!;
    const entries = this.inOrder.map(([, { key, group }], slot) => ({ key: String(key), row: group!, slot }));
    return (this.shown = new Rows(sequenceOf(entries)));
  }

  /** How many rows. */
  get count(): number {
    return lengthOf(this.whole.entries);
  }

  /** Equal dates, links by kind and other data make one group, whichever objects they are. */
  private known(key: object): object {
    const identity = identityOf(key);
    const known = this.data.get(identity);
    if (!known) this.data.set(identity, key);
    return known ?? key;
  }

  private listFor(row: AnyRow): Ordered {
    if (!this.spec.group) return this.whole;
    const found = this.spec.group(row);
    // Zero and minus zero are equal.
    const key = found === 0 ? 0 : found;
    const by = isDate(key) || isContainer(key) ? this.known(key) : key;
    let list = this.groups.get(by);
    if (!list) {
      this.groups.set(by, (list = { key, identity: identityOf(key), ordered: new Ordered(this.spec) }));
      this.inOrder = undefined;
    }
    return list.ordered;
  }

  private build(table: RowTable): void {
    const lists = new Map<Ordered, RowEntry<AnyRow>[]>();
    for (const [key, row] of table as RowTable<AnyRow>) {
      if (!this.spec.where(row)) continue;
      const list = this.listFor(row);
      const entry = { key, row, slot: RowTable.slot(table, key) };
      const entries = lists.get(list);
      if (entries) entries.push(entry);
      else lists.set(list, [entry]);
    }
    for (const list of [this.whole, ...Array.from(this.groups.values(), ({ ordered }) => ordered)]) {
      list.fill(lists.get(list) ?? []);
      list.rebuilt = true;
    }
  }

  /** Updates from one version to the next; false when a rebuild costs less. */
  private follow(before: RowTable, after: RowTable): boolean {
    const { changed, removed, added } = RowTable.difference(before, after);
    if (4 * (changed.length + removed.length + added.length) > after.size) return false;
    const at = (table: RowTable, key: string): RowEntry<AnyRow> => ({
      key,
      row: table.get(key) as AnyRow,
      slot: RowTable.slot(table, key),
    });
    for (const key of removed) {
      const old = at(before, key);
      if (this.spec.where(old.row) && !this.listFor(old.row).take(old)) return false;
    }
    for (const key of changed) {
      const [old, now] = [at(before, key), at(after, key)];
      const [was, is] = [this.spec.where(old.row), this.spec.where(now.row)];
      const from = was ? this.listFor(old.row) : undefined;
      const to = is ? this.listFor(now.row) : undefined;
      if (from && from === to) {
        if (!from.replace(old, now)) return false;
        continue;
      }
      if (from && !from.take(old)) return false;
      to?.add(now);
    }
    for (const key of added) {
      const now = at(after, key);
      if (this.spec.where(now.row)) this.listFor(now.row).add(now);
    }
    return true;
  }
}
