// `floe normalize FILE --model MODULE --type TYPE`: what becomes of a nested response in the tables of a model.
import { readFileSync } from 'node:fs';
import { text } from 'node:stream/consumers';
import colours from 'picocolors';
import { encode, lookUp, parsePointer } from '../core/internal.js';
import type { AnyStore } from '../core/index.js';
import type { Ingested, TableStore } from '../entities/index.js';
import { fileUnreadable, nothingThere, notJson, noTables } from './errors.js';
import { modelIn } from './model.js';
import { Columns, inShort, jsonOf, shown, type Output } from './output.js';

export interface NormalizeOptions {
  /** Default: the project's own. */
  readonly model?: string;
  readonly type: string;
  readonly store?: string;
  readonly path?: string;
  readonly skip?: boolean;
  readonly json?: boolean;
}

const isTables = (store: AnyStore): boolean => typeof (store as { readonly ingest?: unknown }).ingest === 'function';

/** Gives the exit code: 1 where records were left out. */
export async function normalize(file: string, options: NormalizeOptions, out: Output): Promise<0 | 1> {
  const { model, type, store, path = '', skip, json } = options;
  const { file: module, stores } = await modelIn(model, out);
  const tables = stores.filter(isTables);
  const chosen = store === undefined ? tables : tables.filter(({ name }) => name === store);
  if (chosen.length !== 1)
    throw noTables(
      module,
      tables.map(({ name }) => name),
      store,
    );
  const [port] = chosen as readonly unknown[] as readonly [TableStore<string, []>];
  const response = await jsonIn(file);
  if (!lookUp(response, parsePointer(path))) throw nothingThere(file, path);
  const given = { at: path, ...(skip && { skip: true }) };
  const { payload } = port.ingest(type as never, response as never, given) as unknown as { readonly payload: Ingested };
  const { keys, rows, skipped = [] } = payload;
  if (json) {
    out.result(jsonOf(encode(payload)));
    return skipped.length > 0 ? 1 : 0;
  }
  const columns = new Columns(out, ['type', 'rows', 'keys', 'the first row'], ['left', 'right']);
  columns.write(
    Object.keys(rows).map((name) => [
      colours.bold(shown(name)),
      rows[name].length.toLocaleString('en'),
      inList(keys[name]),
      colours.dim(inShort(rows[name][0], 60)),
    ]),
  );
  for (const { path: at, code, problem } of skipped)
    out.result(`${colours.yellow(code)} ${shown(at)}: ${shown(problem)}`);
  const size = Buffer.byteLength(JSON.stringify(lookUp(response, parsePointer(path))!.value));
  const flat = Buffer.byteLength(JSON.stringify(encode(rows)));
  out.talk(
    colours.dim(
      `\nNested, the records take ${sizeOf(size)} of JSON; in tables, where each stands once, ${sizeOf(flat)}.`,
    ),
  );
  return skipped.length > 0 ? 1 : 0;
}

async function jsonIn(file: string): Promise<unknown> {
  let found: string;
  try {
    found = file === '-' ? await text(process.stdin) : readFileSync(file, 'utf8');
  } catch (cause) {
    throw fileUnreadable(file, cause);
  }
  try {
    // A byte order mark is no part of the data (RFC 8259, 8.1).
    return JSON.parse(found.replace(/^\uFEFF/, '')) as unknown;
  } catch (cause) {
    throw notJson(file === '-' ? 'standard input' : file, cause);
  }
}

/** The first keys of a list, and how many more there are. */
function inList(keys: readonly string[]): string {
  const first = keys.slice(0, 3).map((key) => (key.length > 14 ? `${key.slice(0, 13)}…` : key));
  return shown(first.join(', ')) + (keys.length > 3 ? colours.dim(` and ${keys.length - 3} more`) : '');
}

const sizeOf = (bytes: number): string => (bytes < 10_000 ? `${bytes} bytes` : `${Math.round(bytes / 1000)} kB`);
