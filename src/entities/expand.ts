// Nested views of flat rows. Each row that is expanded is a source of its own, so that an expanded row is shared by all
// that lead to it and recomputed only when something in it changed.
import { hasOwn, isContainer, partOf, put, type Read, sameData, shallowCopy, type Source } from '../core/internal.js';
import { missingTarget, unknownLink, viewTooLarge } from './errors.js';
import { referenced, referencesOf, type LinkPlan, type TypePlan } from './plan.js';

/** How far a row is expanded. */
export interface ExpandOptions {
  /** How many links deep. `Infinity`: all, where a row that is inside itself stays a key. Default: 1. */
  readonly depth?: number;
  /** Only these links, as paths: `['vessel', 'vessel.operator']`. Then `depth` does not count. Default: all links. */
  readonly along?: readonly string[];
  /** What stands where a link leads to no row. Default: `'null'`. */
  readonly missing?: 'null' | 'error';
}

/** What is expanded below a row. */
export interface Way {
  readonly depth: number;
  readonly along: readonly string[] | undefined;
  readonly missing: 'null' | 'error';
}

/** As many rows, nested in one another so deep, are hardly meant to be seen at once. */
const MOST_ROWS = 100_000;
const MOST_LEVELS = 500;

export const wayOf = ({ depth = 1, along, missing = 'null' }: ExpandOptions = {}): Way => ({
  // The longest path says how deep; a path includes those that lead to it.
  depth: along ? Math.max(0, ...along.map((path) => path.split('.').length)) : depth,
  along: along && [...new Set(along.flatMap(prefixes))].sort(),
  missing,
});

/** Development only: each path goes along links that are declared. */
export function checkWay(plan: TypePlan, along: readonly string[]): void {
  for (const path of along) {
    let types: readonly TypePlan[] = [plan];
    for (const name of path.split('.')) {
      const links = types.flatMap((type) => type.links.filter((link) => link.name === name));
      if (links.length === 0)
        throw unknownLink(
          path,
          name,
          types.map((type) => type.name),
          types.flatMap((type) => type.links.map((link) => link.name)),
        );
      types = links.flatMap(({ single }) => (single.target ? [single.target] : [...single.kinds.values()]));
    }
  }
}

const prefixes = (path: string): string[] => {
  const names = path.split('.');
  return names.map((_, i) => names.slice(0, i + 1).join('.'));
};

/** The way on, below a link; nothing when it is not followed. */
function below(way: Way, link: LinkPlan): Way | undefined {
  if (way.depth <= 0) return undefined;
  if (!way.along) return { ...way, depth: way.depth - 1 };
  if (!way.along.includes(link.name)) return undefined;
  const along = way.along
    .filter((path) => path.startsWith(`${link.name}.`))
    .map((path) => path.slice(link.name.length + 1));
  return { ...way, depth: way.depth - 1, along };
}

/** How a row is reached: flat, or expanded as a source. */
export interface Access {
  row(read: Read, plan: TypePlan, key: string): object | undefined;
  expanded(plan: TypePlan, key: string, way: Way): Source<unknown>;
}

/** What gives the nested view of one row, again and again; `undefined` when there is none. */
export function expansion(access: Access, plan: TypePlan, key: string, way: Way): (read: Read) => unknown {
  const row: Expanded = { plan, key, way };
  if (way.depth !== Infinity || !plan.endless) return (read) => expandRow({ read, access }, row);
  // Here no row has a source of its own, since what becomes of it depends on what it is in.
  let last: unknown;
  return (read) => {
    const rows = new Map<string, object | undefined>();
    const once: Access = {
      ...access,
      row(_read, target, targetKey) {
        const own = `${target.name}/${targetKey}`;
        if (!rows.has(own)) rows.set(own, access.row(read, target, targetKey));
        return rows.get(own);
      },
    };
    checkSize(once, read, plan, key);
    return (last = reused(last, expandAll({ read, access: once }, row, new Set())));
  };
}

/**
 * Where rows link to each other in many ways, there are more ways through them than could ever be gone: they are counted,
 * up to a limit, before any view is made.
 */
function checkSize(access: Access, read: Read, plan: TypePlan, key: string): void {
  const targets = new Map<string, readonly (readonly [TypePlan, string])[]>();
  const above = new Set<string>();
  let count = 0;
  const visit = (type: TypePlan, typeKey: string): void => {
    const own = `${type.name}/${typeKey}`;
    if (above.has(own)) return;
    if (++count > MOST_ROWS)
      throw viewTooLarge(`/${plan.name}/${key}`, `more than ${MOST_ROWS.toLocaleString('en')} rows`);
    if (above.size > MOST_LEVELS) throw viewTooLarge(`/${plan.name}/${key}`, `more than ${MOST_LEVELS} levels`);
    let below = targets.get(own);
    if (!below) {
      const row = access.row(read, type, typeKey);
      targets.set(own, (below = type.links.flatMap((link) => [...referencesOf(row, link)])));
    }
    above.add(own);
    for (const target of below) visit(...target);
    above.delete(own);
  };
  visit(plan, key);
}

/** A row, and how it is expanded. */
interface Expanded {
  readonly plan: TypePlan;
  readonly key: string;
  readonly way: Way;
}

/** Where rows are read. */
interface RowReads {
  readonly read: Read;
  readonly access: Access;
}

function expandRow({ read, access }: RowReads, row: Expanded): unknown {
  return nested({ read, access }, row, ({ plan, key, way }) =>
    way.depth > 0 && plan.links.length > 0 ? read(access.expanded(plan, key, way)) : access.row(read, plan, key),
  );
}

/** All the way down where types lead back to themselves: a row that is inside itself stays a key. */
function expandAll(rows: RowReads, row: Expanded, above: Set<string>): unknown {
  const own = `${row.plan.name}/${row.key}`;
  above.add(own);
  const view = nested(rows, row, (target) => {
    const { plan, key, way } = target;
    if (above.has(`${plan.name}/${key}`)) return STAYS;
    return plan.endless ? expandAll(rows, target, above) : rows.read(rows.access.expanded(plan, key, way));
  });
  above.delete(own);
  return view;
}

/** A result with the parts of the last one in the place of those that are the same. */
function reused(last: unknown, now: unknown): unknown {
  if (Object.is(last, now) || !isContainer(now) || !isContainer(last) || Array.isArray(now) !== Array.isArray(last))
    return now;
  if (sameData(last, now)) return last;
  const result = shallowCopy(now);
  for (const key of Object.keys(now))
    if (hasOwn(last, key)) put(result, key, reused(partOf(last, key), partOf(now, key)));
  return result;
}

/** A link that is left as it is. */
const STAYS = Symbol('stays');

function nested(
  { read, access }: RowReads,
  { plan, key, way }: Expanded,
  expand: (target: Expanded) => unknown,
): unknown {
  const row = access.row(read, plan, key) as Readonly<Record<string, unknown>> | undefined;
  if (row === undefined) return undefined;
  let result = row as Record<string, unknown>;
  for (const link of plan.links) {
    const on = below(way, link);
    const value = row[link.name];
    if (!on || value === undefined || value === null) continue;
    const one = (reference: unknown): unknown => {
      const target = referenced(link.single, reference);
      if (!target) return reference;
      const found = expand({ plan: target[0], key: target[1], way: on });
      if (found === STAYS) return reference;
      if (found === undefined && way.missing === 'error')
        throw missingTarget(target[0].name, target[1], `'${link.name}' of the ${plan.name} '${key}'`);
      return found ?? null;
    };
    let made: unknown;
    if (link.many === 'one') made = one(value);
    else if (link.many === 'list') made = (value as unknown[]).map(one);
    else {
      made = {};
      for (const [name, reference] of Object.entries(value)) put(made as object, name, one(reference));
    }
    if (result === row) result = { ...row };
    put(result, link.name, made);
  }
  return result;
}
