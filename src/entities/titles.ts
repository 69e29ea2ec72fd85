// What the actions that every store of tables has are called where the model says nothing: for tools, in development only.
import type { About, AnyAction } from '../core/index.js';
import type { Ingested } from './ingested.js';
import type { ReadyMade } from './table-store.js';

/** So many rows are named. */
const MOST_NAMED = 2;

type Title = (payload: never) => string;

const TITLES: Readonly<Record<ReadyMade, Title>> = {
  ingest: ({ keys }: Ingested) => `took in ${rowsOf(keys)}`,
  put: ({ keys }: Ingested) => `put ${rowsOf(keys)}`,
  merge: ({ keys, rows }: Ingested) =>
    `changed ${Object.keys(Object.values(rows)[0]?.[0] as object).join(' and ')} of ${rowsOf(keys)}`,
  remove: ({ type, keys }: { type: string; keys: readonly string[] }) => `removed ${rowsOf({ [type]: keys })}`,
  clear: (types: readonly string[]) => `removed all rows of ${types.join(' and ')}`,
  prune: () => 'removed the rows that nothing leads to',
};

/** `visit v7`, `visit v1 and v2`, `49 rows of visit`. */
function rowsOf(keys: Readonly<Record<string, readonly string[]>>): string {
  const parts = Object.entries(keys)
    .filter(([, own]) => own.length > 0)
    .map(([type, own]) =>
      own.length <= MOST_NAMED ? `${type} ${own.join(' and ')}` : `${own.length} rows of ${type}`,
    );
  return parts.length === 0 ? 'no row' : parts.join(', ');
}

/** What was declared about an action, with a title where that has none. */
export function withTitle(declared: About | undefined, store: string, type: AnyAction['type']): About | undefined {
  if (declared?.title !== undefined || !type.startsWith(`${store}.`)) return declared;
  const title = (TITLES as Readonly<Partial<Record<string, Title>>>)[type.slice(store.length + 1)];
  return title ? { ...declared, title } : declared;
}
