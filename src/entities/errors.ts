// The catalogue of the entities' errors; see core/errors.ts.
import { DEV, FloeError, nearest } from '../core/internal.js';

const error = (code: string, subject: string, text: string | false, path?: string): FloeError =>
  new FloeError(code, text || `${code} ${subject}`, path === undefined ? undefined : { path });

const place = (path: string): string => (path === '' ? 'The response itself' : `The value at ${path}`);

export const unknownLink = (
  path: string,
  name: string,
  types: readonly string[],
  known: readonly string[],
): FloeError => {
  const other = nearest(name, known);
  return error(
    'FLOE_UNKNOWN_LINK',
    `${path} ${name}`,
    DEV &&
      `expand along '${path}': ${types.map((type) => `'${type}'`).join(' and ')} ${types.length > 1 ? 'have' : 'has'} no link '${name}'.${
        other ? ` Did you mean '${other}'?` : ''
      } ${known.length > 0 ? `There are ${known.map((link) => `'${link}'`).join(', ')}.` : 'There are no links.'}`,
  );
};

/** @param isRoot whether it stands where the records of the response should stand, and not at a link */
export const notARecord = (type: string, path: string, found: unknown, isRoot = false): FloeError =>
  error(
    'FLOE_NOT_A_RECORD',
    `${type} ${path}`,
    DEV &&
      `${place(path)} should be ${isRoot ? `a record of '${type}'` : `a ${type}`} (found: ${found === null ? 'null' : Array.isArray(found) ? 'an array' : kindOf(found)}).${isRoot ? ` If the records stand deeper in the response, say where: ingest(${type}, response, { at: '/data' }).` : ''}`,
    path,
  );

/** JSON reads an integer beyond 2^53 as another one: two keys would become one (RFC 8259, section 6). */
const kindOf = (found: unknown): string =>
  typeof found === 'number' && Number.isInteger(found) && !Number.isSafeInteger(found)
    ? `${found}, which JSON cannot give exactly: send numbers beyond 2^53 as text`
    : typeof found;

/** @param all what stands in the place of the whole response, if the record does */
export const noKey = (
  { name: type, knownBy: key }: { readonly name: string; readonly knownBy: string },
  path: string,
  found: unknown,
  all?: unknown,
): FloeError =>
  error(
    'FLOE_NO_KEY',
    `${type} ${path}`,
    DEV &&
      `${place(path)} has no key: a record of '${type}' is known by ${key}, which must be text or a number (found: ${found === null ? 'null' : kindOf(found)}).${valuesOf(all)}`,
    path,
  );

/** What to write instead, where records by their keys were given for a record. */
const valuesOf = (found: unknown): string => {
  if (found instanceof Map) return ` Of a Map give its values: [...map.values()].`;
  const values: readonly unknown[] = Object.values(found ?? {});
  return values.length > 0 && values.every((value) => typeof value === 'object' && value !== null)
    ? ` Of records by their keys give the values: Object.values(response).`
    : '';
};

export const notPairs = (cause: unknown): FloeError =>
  new FloeError(
    'FLOE_NO_KEY',
    DEV
      ? 'A table is made of pairs of key and row, or of a Map. Of a list of objects: tableOf(list.map((row) => [row.id, row])). Of an object by keys: tableOf(Object.entries(rows)).'
      : 'FLOE_NO_KEY tableOf',
    { cause },
  );

export const otherKey = (type: string, key: string, by: string, found: string): FloeError =>
  error(
    'FLOE_NO_KEY',
    `${type} ${key}`,
    DEV &&
      `A row of '${type}' would stand under the key '${key}' though ${by} says '${found}'. A row keeps its key: put a new row under '${found}', and remove the one under '${key}'.`,
  );

export const keyClash = (type: string, path: string, key: string): FloeError =>
  error(
    'FLOE_KEY_CLASH',
    `${type} ${path}`,
    DEV &&
      `${place(path)} has the key '${key}' as a number, and another '${type}' in this response has it as text (or the other way round). In a table both are '${key}': make them two keys, for example key: (record) => \`n\${record.id}\`.`,
    path,
  );

export const unknownKind = (path: string, found: unknown, known: readonly string[]): FloeError =>
  error(
    'FLOE_UNKNOWN_KIND',
    `${path} ${String(found)}`,
    DEV &&
      `${place(path)} is of the kind ${typeof found === 'string' ? `'${found}'` : String(found)}, which this link does not know (known: ${known.join(', ')}).${meant(found, known)}`,
    path,
  );

export const kindClash = (path: string, key: string, kinds: readonly string[]): FloeError =>
  error(
    'FLOE_KIND_CLASH',
    `${path} ${key}`,
    DEV &&
      `${place(path)}: the key '${key}' stands for a '${kinds[0]}' here and for a '${kinds[1]}' elsewhere in this response. One thing has one kind.`,
    path,
  );

export const cyclicAnswer = (path: string): FloeError =>
  error(
    'FLOE_CYCLIC_ANSWER',
    path,
    DEV &&
      `${place(path)} contains itself, as no JSON can. Give the inner one as its key: a link may be a key instead of a record.`,
    path,
  );

export const tooDeep = (path: string): FloeError =>
  error(
    'FLOE_TOO_DEEP',
    path,
    DEV && `${place(path)} is nested too deeply to be looked through. Declare what is nested in it as a link.`,
    path,
  );

export const viewTooLarge = (path: string, what: string): FloeError =>
  error(
    'FLOE_TOO_DEEP',
    path,
    DEV &&
      `The view of ${path} would hold ${what} nested in one another: its rows link to each other in too many ways to follow them all. Say which links to follow: expand(type, key, { along: ['vessel', 'vessel.operator'] }), or give a smaller depth.`,
    path,
  );

export const badRow = (type: string, path: string, issues: string): FloeError =>
  error('FLOE_BAD_ROW', `${type} ${path}`, DEV && `${place(path)} is not a valid '${type}': ${issues}.`, path);

export const asyncCheck = (type: string): FloeError =>
  error(
    'FLOE_ASYNC_CHECK',
    type,
    DEV &&
      `The validator of '${type}' validates later, with a promise. Rows are checked at once: use a synchronous one.`,
  );

export const unknownEntity = (what: string, name: string, known: readonly string[]): FloeError =>
  error(
    'FLOE_UNKNOWN_ENTITY',
    `${what} ${name}`,
    DEV &&
      `${what} names the entity type '${name}', which these tables do not hold (they hold: ${known.join(', ')}).${meant(name, known)} List it in tables(name, [...]).`,
  );

export const noSuchRow = (type: string, key: string): FloeError =>
  error(
    'FLOE_NO_SUCH_ROW',
    `${type} ${key}`,
    DEV &&
      `There is no '${type}' with the key '${key}' to merge into. Put a whole row, or ask first whether it is there: runtime.read(port.has(${type}, '${key}')).`,
  );

export const missingTarget = (type: string, key: string, from: string): FloeError =>
  error(
    'FLOE_MISSING_TARGET',
    `${type} ${key}`,
    DEV &&
      `${from} leads to the ${type} '${key}', of which there is no row. Ingest it, or expand with { missing: 'null' }.`,
  );

export const stillLinked = (type: string, key: string, from: readonly string[]): FloeError =>
  error(
    'FLOE_STILL_LINKED',
    `${type} ${key}`,
    DEV &&
      `The ${type} '${key}' cannot be removed: ${from.slice(0, 3).join(', ')}${from.length > 3 ? ` and ${from.length - 3} more` : ''} still link to it. Remove them too, or declare what shall happen at the link: { removed: 'unlink' } or { removed: 'cascade' }.`,
  );

export const badView = (why: string): FloeError =>
  error('FLOE_BAD_VIEW', why, DEV && `These view options do not work: ${why}.`);

const meant = (name: unknown, known: readonly string[]): string => {
  const other = typeof name === 'string' ? nearest(name, known) : undefined;
  return other === undefined ? '' : ` Did you mean '${other}'?`;
};
