// What the actions that stores of tables and of addresses have by themselves are called, where the model says nothing. They are
// known by their names and by what they carry, so that a file needs no model for it.
import { isFields } from '../../core/internal.js';

/** So many rows are named. */
const MOST_NAMED = 2;

/**
 * The title of a ready-made action.
 * @returns nothing where it is none
 * @example
 * readyMadeTitle('port.remove', { type: 'visit', keys: ['v7'] }); // 'removed visit v7'
 */
export function readyMadeTitle(type: string, payload: unknown): string | undefined {
  const name = type.slice(type.lastIndexOf('.') + 1);
  switch (name) {
    case 'ingest':
    case 'put':
    case 'merge':
      return isIngested(payload) ? ingestedTitle(name, payload) : undefined;
    case 'remove':
      return isFields(payload) && typeof payload.type === 'string' && Array.isArray(payload.keys)
        ? `removed ${rowsOf({ [payload.type]: payload.keys as readonly string[] })}`
        : undefined;
    case 'clear':
      return Array.isArray(payload) && payload.every((one) => typeof one === 'string')
        ? `removed all rows of ${payload.join(' and ')}`
        : undefined;
    case 'went':
      return isFields(payload) && 'at' in payload ? wentTitle(payload) : undefined;
    case 'queryChanged':
      return isFields(payload) && isFields(payload.query) ? queryTitle(payload.query, payload.without) : undefined;
    default:
      return undefined;
  }
}

interface Ingested {
  readonly keys: Readonly<Record<string, readonly string[]>>;
  readonly rows: Readonly<Record<string, readonly unknown[]>>;
}

const isIngested = (payload: unknown): payload is Ingested =>
  isFields(payload) && isFields(payload.keys) && isFields(payload.rows);

function ingestedTitle(name: 'ingest' | 'put' | 'merge', { keys, rows }: Ingested): string {
  if (name !== 'merge') return `${name === 'put' ? 'put' : 'took in'} ${rowsOf(keys)}`;
  const [part] = Object.values(rows)[0] ?? [];
  return `changed ${isFields(part) ? Object.keys(part).join(' and ') : 'a part'} of ${rowsOf(keys)}`;
}

/** `visit v7`, `visit v1 and v2`, `49 rows of visit`. */
function rowsOf(keys: Readonly<Record<string, readonly string[]>>): string {
  const parts = Object.entries(keys)
    .filter(([, own]) => own.length > 0)
    .map(([type, own]) =>
      own.length <= MOST_NAMED ? `${type} ${own.join(' and ')}` : `${own.length} rows of ${type}`,
    );
  return parts.length === 0 ? 'no row' : parts.join(', ');
}

function wentTitle({ at, params }: Readonly<Record<string, unknown>>): string {
  if (typeof at !== 'string') return 'went to an unknown address';
  return ['went to', at, ...(isFields(params) ? Object.values(params).map(String) : [])].join(' ');
}

function queryTitle(query: object, without: unknown): string {
  const names = [...Object.keys(query), ...(Array.isArray(without) ? without.map(String) : [])];
  return `changed ${names.join(' and ') || 'nothing'} in the address`;
}
