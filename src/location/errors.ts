// The catalogue of the address's errors; see core/errors.ts.
import { FloeError, nearest } from '../core/internal.js';

export const badPattern = (pattern: string, why: string): FloeError =>
  new FloeError(
    'FLOE_BAD_PATH',
    `'${pattern}' is not a path: ${why}. Write it as '/visits/:id', where ':id' stands for one segment.`,
  );

export const badBase = (base: string): FloeError =>
  new FloeError(
    'FLOE_BAD_PATH',
    `'${base}' is not what paths can begin with. Write it as '/harbour', with one '/' at its beginning.`,
  );

export const noSuchPlace = (store: string, at: unknown, known: readonly string[]): FloeError => {
  const other = typeof at === 'string' ? nearest(at, known) : undefined;
  return new FloeError(
    'FLOE_BAD_PLACE',
    `'${store}' has no path '${String(at)}'.${other ? ` Did you mean '${other}'?` : ''} There are ${known.map((name) => `'${name}'`).join(', ')}.`,
  );
};

export const notAnAddress = (store: string): FloeError =>
  new FloeError('FLOE_BAD_PLACE', `'${store}' is no address. Link what location(...) made, or a copy of it.`);

export const badValue = (store: string, what: string, found: unknown): FloeError =>
  new FloeError(
    'FLOE_BAD_PLACE',
    `The ${what} of '${store}' cannot stand in an address: ${inWords(found)} is nothing that its codec reads. Give it a value that it can write and read again.`,
  );

const inWords = (value: unknown): string =>
  typeof value === 'string' ? `'${value}'` : typeof value === 'object' && value !== null ? 'an object' : String(value);
