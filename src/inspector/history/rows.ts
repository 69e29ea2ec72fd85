// The rows of tables as a table shows them, and the links between rows, where the model is known.
import { type Keyed, pointerTo, type RowLink } from '../../core/internal.js';
import type { Methods, PartShown, RowShown, RowsShown } from '../protocol/protocol.js';
import { difference, ordered, partsOf, partUnder, valueShown, type PartsWindow } from './values.js';

/** So many columns of a table are shown. */
const MOST_COLUMNS = 16;
/** So many rows that link to one are given. */
const MOST_LINKING = 200;

/** What a model knows of the rows of its tables. */
export interface RowLinks {
  /** The rows that a row links to, by the pointer within the row; nothing where the place is no row. */
  from(states: unknown, store: string, type: string, key: string): readonly RowLink[];
  /** The rows that link to a row. */
  to(states: unknown, store: string, type: string, key: string): readonly RowLink[];
}

/** The link that a field of a row holds. */
function linkAt(links: readonly RowLink[], store: string, field: string): Pick<PartShown, 'link'> {
  const found = links.find(({ link }) => link === field);
  if (!found) return {};
  const { type, key } = found;
  return { link: { type, key, pointer: pointerTo([store, type, key]) } };
}

/** How many rows link to one. */
function linkedBy(
  links: RowLinks,
  states: unknown,
  [store, type]: readonly string[],
  key: string,
): Pick<PartShown, 'linkedBy'> {
  const count = links.to(states, store, type, key).length;
  return count > 0 ? { linkedBy: count } : {};
}

/**
 * Marks which parts of a value lead to rows, and how many rows lead to them.
 * @param keys where the value stands: the store, the type, the key of a row and fields inside
 */
export function partsWithLinks(
  links: RowLinks,
  states: unknown,
  keys: readonly string[],
  parts: readonly PartShown[],
): readonly PartShown[] {
  if (keys.length < 2) return parts;
  if (keys.length === 2) return parts.map((part) => ({ ...part, ...linkedBy(links, states, keys, part.key) }));
  const [store, type, key, ...inside] = keys;
  const from = links.from(states, store, type, key);
  return parts.map((part) => ({ ...part, ...linkAt(from, store, [...inside, part.key].join('/')) }));
}

/** The rows that link to the row at a place. */
export function rowsThatLink(
  links: RowLinks | undefined,
  states: unknown,
  [store, type, key]: readonly string[],
): Methods['linkedBy']['result'] {
  const rows = links?.to(states, store, type, key) ?? [];
  return {
    rows: rows.slice(0, MOST_LINKING).map((row) => ({
      label: `${row.type} ${row.key} · ${row.link}`,
      pointer: pointerTo([store, row.type, row.key]),
    })),
    total: rows.length,
  };
}

/** The fields that rows have, in the order in which they come. */
function columnsOf(rows: readonly unknown[]): string[] {
  const names = new Set<string>();
  for (const row of rows) for (const [name] of partsOf(row, 0, MOST_COLUMNS)) names.add(name);
  return [...names].slice(0, MOST_COLUMNS);
}

/**
 * The rows of a table, field by field.
 * @param of `keys`: where the table stands; `before`: as it was, `undefined` where changes are not asked for
 */
export function rowsShown(
  {
    table,
    before,
    keys,
  }: {
    readonly table: Keyed;
    readonly before: { readonly value: unknown } | undefined;
    readonly keys: readonly string[];
  },
  window: PartsWindow,
  states: unknown,
  links: RowLinks | undefined,
): RowsShown {
  const shown = ordered(table, window);
  const columns = columnsOf(shown.map(([, row]) => row));
  const [store, type] = keys;
  const known = keys.length === 2 ? links : undefined;
  const rows = shown.map(([key, row]): RowShown => {
    const was = before && partUnder(before.value, key);
    const changed = before && difference(was, row)?.changed;
    const from = known?.from(states, store, type, key) ?? [];
    return {
      ...{ key, pointer: pointerTo([...keys, key]) },
      ...(changed && { changed }),
      ...(known && linkedBy(known, states, keys, key)),
      cells: columns.map((name) => {
        const part = partUnder(row, name);
        if (!part) return null;
        return {
          value: valueShown(part.value),
          ...(was && difference(partUnder(was.value, name), part.value)),
          ...linkAt(from, store, name),
        };
      }),
    };
  });
  return { columns, total: table.size, rows };
}
