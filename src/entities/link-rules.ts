// Who links to a row, and what becomes of links when rows are removed.
import { hasOwn, put, type Touches } from '../core/internal.js';
import { isKey } from './entity.js';
import { otherKey, stillLinked } from './errors.js';
import { referenced, referencesOf, type LinkPlan, type TypePlan } from './plan.js';
import { RowTable } from './table.js';

/** The tables of a state, by type. */
export type Tables = Readonly<Record<string, RowTable>>;

/** A row that links to another. */
export interface LinkedRow {
  readonly type: string;
  readonly key: string;
  /** The field that holds the link. */
  readonly link: string;
}

/**
 * The rows that hold a link, by what they link to. It follows one version of the table after the other; for a version
 * that has nothing to do with the last it rebuilds itself. Its results depend on the table alone.
 */
class LinkIndex {
  private table: WeakRef<RowTable> | undefined;
  private sources = new Map<string, Set<string>>();
  constructor(private readonly link: LinkPlan) {}

  sourcesOf(table: RowTable, type: string, key: string): readonly string[] {
    this.follow(table);
    const sources = this.sources.get(`${type}/${key}`);
    return sources ? [...sources].sort((a, b) => RowTable.slot(table, a) - RowTable.slot(table, b)) : [];
  }

  private follow(table: RowTable): void {
    const before = this.table?.deref();
    if (before === table) return;
    this.table = new WeakRef(table);
    if (!before || !RowTable.sameSlots(before, table)) {
      this.sources = new Map();
      for (const [key, row] of table) this.note(key, row, true);
      return;
    }
    const { changed, removed, added } = RowTable.difference(before, table);
    for (const key of [...changed, ...removed]) this.note(key, before.get(key), false);
    for (const key of [...changed, ...added]) this.note(key, table.get(key), true);
  }

  private note(source: string, row: unknown, there: boolean): void {
    for (const [{ name }, key] of referencesOf(row, this.link)) {
      const target = `${name}/${key}`;
      let sources = this.sources.get(target);
      if (there) {
        if (!sources) this.sources.set(target, (sources = new Set()));
        sources.add(source);
      } else if (sources?.delete(source) && sources.size === 0) this.sources.delete(target);
    }
  }
}

const indexes = new WeakMap<LinkPlan, LinkIndex>();

function sourcesOf(state: Tables, link: LinkPlan, type: string, key: string): readonly string[] {
  if (state[link.from.name].size === 0) return [];
  let index = indexes.get(link);
  if (!index) indexes.set(link, (index = new LinkIndex(link)));
  return index.sourcesOf(state[link.from.name], type, key);
}

/** The rows that a row links to, and where in the row each link stands. */
export function linksOf(row: unknown, plan: TypePlan): LinkedRow[] {
  return plan.links.flatMap((link) => {
    const value = (row as Record<string, unknown> | undefined)?.[link.name];
    const all = link.many === 'one' ? [['', value]] : Object.entries(value ?? {});
    return all.flatMap(([at, one]): LinkedRow[] => {
      const found = referenced(link.single, one);
      const place = at === '' ? link.name : `${link.name}/${at as string}`;
      return found ? [{ type: found[0].name, key: found[1], link: place }] : [];
    });
  });
}

/** All rows that link to a row. */
export function linkedTo(state: Tables, plan: TypePlan, key: string): LinkedRow[] {
  return plan.linkedBy.flatMap((link) =>
    sourcesOf(state, link, plan.name, key).map((source) => ({ type: link.from.name, key: source, link: link.name })),
  );
}

/**
 * A change completed by the rules at the links: what shall become of rows that link to rows which the change removed.
 * @throws FLOE_STILL_LINKED when a row that stays links to one of them, and refuses; FLOE_NO_KEY
 */
export function completed<S extends Tables>(
  before: S,
  after: S,
  plans: Iterable<TypePlan>,
  touches: Touches | undefined,
): S {
  const removal = new Removal(after);
  for (const plan of plans) removal.look(plan, before[plan.name], touches);
  return removal.result();
}

/** What follows from the rows that a change removed. */
class Removal<S extends Tables> {
  private readonly going = new Map<TypePlan, Set<string>>();
  /** Rows that go, and whose links were not looked at. */
  private readonly work: (readonly [TypePlan, string])[] = [];
  private readonly edits = new Map<string, RowTable>();

  constructor(private readonly after: S) {}

  /** Finds the rows of a table that go, and checks the keys of those that came or changed. */
  look(plan: TypePlan, old: RowTable, touches: Touches | undefined): void {
    const now = this.after[plan.name];
    if (old === now) return;
    const touch = touches?.get(now);
    if (touch && !touch.moved && (touch.base as unknown) === old) {
      // Only rows were edited, in their places: the drafts know which.
      if (plan.hasKey)
        for (const key of touch.keys ?? [])
          if (touchesKey(plan, now.get(key), touches)) checkKey(plan, key, now.get(key));
      return;
    }
    const { removed, changed, added } = RowTable.difference(old, now);
    if (plan.linkedBy.length > 0) for (const key of removed) if (!now.has(key)) this.go(plan, key);
    if (!plan.hasKey) return;
    for (const key of changed) checkKey(plan, key, now.get(key));
    for (const key of added) checkKey(plan, key, now.get(key));
  }

  private go(type: TypePlan, key: string): void {
    let set = this.going.get(type);
    if (!set) this.going.set(type, (set = new Set()));
    if (set.size !== set.add(key).size) this.work.push([type, key]);
  }

  private readonly goes = (type: TypePlan, key: string): boolean => this.going.get(type)?.has(key) ?? false;

  /** The tables without what goes, and without links to it. */
  result(): S {
    const { after, going, work, goes } = this;
    if (work.length === 0) return after;
    const removed = new Map(Array.from(going, ([type, keys]) => [type, new Set(keys)]));
    for (const { link, source } of this.follow()) {
      if (goes(link.from, source)) continue;
      const table = this.edited(link.from.name);
      RowTable.set(table, source, unlinked(table.get(source) as Row, link, goes));
    }
    for (const [type, keys] of going)
      for (const key of keys) if (!removed.get(type)?.has(key)) RowTable.delete(this.edited(type.name), key);
    return withTables(after, this.edits);
  }

  /**
   * Follows the links to what goes: more rows go with it.
   * @returns the links that go, from rows that may stay
   */
  private follow(): { readonly link: LinkPlan; readonly source: string }[] {
    const unlinking: { readonly link: LinkPlan; readonly source: string }[] = [];
    const refusing: Refusing[] = [];
    for (let next = this.work.pop(); next; next = this.work.pop()) {
      const [to, key] = next;
      for (const link of to.linkedBy)
        for (const source of sourcesOf(this.after, link, to.name, key)) {
          if (link.removed === 'cascade') this.go(link.from, source);
          else if (link.removed === 'unlink') unlinking.push({ link, source });
          else refusing.push({ target: key, linked: { type: link.from.name, key: source, link: link.name }, link, to });
        }
    }
    const staying = refusing.filter(({ link, linked }) => !this.goes(link.from, linked.key));
    if (staying.length > 0) refuse(staying);
    return unlinking;
  }

  private edited(name: string): RowTable {
    let table = this.edits.get(name);
    if (!table) this.edits.set(name, (table = RowTable.edit(this.after[name])));
    return table;
  }
}

/** A row that links to one that goes, by a link that refuses. */
interface Refusing {
  readonly target: string;
  readonly linked: LinkedRow;
  readonly link: LinkPlan;
  readonly to: TypePlan;
}

function refuse(staying: readonly Refusing[]): never {
  const [first] = staying;
  const all = staying.filter(({ target, to }) => target === first.target && to === first.to);
  const links = all.map(({ linked }) => `${linked.type} '${linked.key}' (${linked.link})`);
  throw stillLinked(first.to.name, first.target, links);
}

type Row = Readonly<Record<string, unknown>>;

/** Whether an edit of a row may have changed what it is known by. */
const touchesKey = ({ keyField }: TypePlan, row: unknown, touches: Touches | undefined): boolean =>
  keyField === undefined || (touches?.get(row)?.keys?.includes(keyField) ?? true);

/** A row whose fields say another key than the one that it stands under would be found by neither. */
export function checkKey({ name, keyField, rawKey, knownBy }: TypePlan, key: string, row: unknown): void {
  if (typeof row !== 'object' || row === null) return;
  const found = rawKey(row as Row);
  // Of several fields, one may be no part of a key any more once it was parsed.
  if (isKey(found) ? String(found) !== key : keyField !== undefined && hasOwn(row, keyField))
    throw otherKey(name, key, knownBy, String(found));
}

/** A row without the links to rows that go. */
function unlinked(row: Row, link: LinkPlan, goes: (type: TypePlan, key: string) => boolean): Row {
  const value = row[link.name];
  const stays = (reference: unknown): boolean => {
    const target = referenced(link.single, reference);
    return !target || !goes(...target);
  };
  if (link.many === 'one') return stays(value) ? row : { ...row, [link.name]: null };
  if (link.many === 'list') return { ...row, [link.name]: (value as unknown[]).filter(stays) };
  const kept = {};
  for (const [name, one] of Object.entries(value as object)) if (stays(one)) put(kept, name, one);
  return { ...row, [link.name]: kept };
}

/** The state with other versions of some tables; the same one when they hold the same. */
export function withTables<S extends Tables>(state: S, edits: ReadonlyMap<string, RowTable>): S {
  let next = state;
  for (const [name, table] of edits) {
    if (next === state) next = { ...state };
    put(next, name, RowTable.seal(table));
  }
  return next;
}

/** The rows that can be reached from some roots, by type. */
export function reached(
  state: Tables,
  roots: readonly (readonly [TypePlan, string])[],
): ReadonlyMap<TypePlan, Set<string>> {
  const found = new Map<TypePlan, Set<string>>();
  const work = [...roots];
  for (let next = work.pop(); next; next = work.pop()) {
    const [plan, key] = next;
    let keys = found.get(plan);
    if (!keys) found.set(plan, (keys = new Set()));
    if (keys.has(key)) continue;
    const row = state[plan.name].get(key);
    if (row === undefined) continue;
    keys.add(key);
    for (const link of plan.links) work.push(...referencesOf(row, link));
  }
  return found;
}
