// The stores that a command works with: a module of the application's own, loaded as a bundler would take it.
import { existsSync, readFileSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { FloeError, messageOf, StoreDefinition } from '../core/internal.js';
import type { AnyStore } from '../core/index.js';
import { modelUnusable, noModel, notJson } from './errors.js';
import { whileLoading } from './loading.js';
import { shown, type Output } from './output.js';

/** A module of the application's own, with its stores and all that it exports. */
export interface ModelModule {
  /** Its path, as the user knows it. */
  readonly file: string;
  readonly stores: readonly AnyStore[];
  readonly exported: readonly unknown[];
  /** What it exports as `examples`: actions for `floe explore`. */
  readonly examples: unknown;
}

/** The stores that a module exports. */
export const storesIn = async (file: string | undefined, out: Output): Promise<readonly AnyStore[]> =>
  (await modelIn(file, out)).stores;

/**
 * A module that exports its stores, one by one or as a list.
 * @param given its path; without it the project's own is found
 * @throws FLOE_MODEL_UNUSABLE, FLOE_NO_MODEL, FLOE_MODEL_ENDED
 */
export async function modelIn(given: string | undefined, out: Output): Promise<ModelModule> {
  const file = given ?? ownModel();
  if (given === undefined) out.talk(`The model is ${shown(file)}.`);
  const path = resolve(file);
  if (!existsSync(path)) throw modelUnusable(file, 'there is no such file');
  const url = pathToFileURL(path).href;
  const paths = nearest(dirname(path), 'tsconfig.json');
  // Only here: most commands load no model.
  const { createJiti } = await import('jiti');
  const jiti = createJiti(url, { jsx: true, fsCache: false, interopDefault: false, tsconfigPaths: paths ?? false });
  let found: Readonly<Record<string, unknown>>;
  try {
    found = await whileLoading(file, () => jiti.import<typeof found>(path));
  } catch (cause) {
    if (cause instanceof FloeError && cause.code === 'FLOE_MODEL_ENDED') throw cause;
    throw modelUnusable(file, messageOf(cause), cause);
  }
  const exported = Object.values(found);
  const listed = Array.isArray(found.stores) ? (found.stores as unknown[]) : exported;
  const stores = new Set(listed.filter((one): one is StoreDefinition => one instanceof StoreDefinition));
  if (stores.size === 0) throw modelUnusable(file, 'it exports no store');
  return { file, stores: [...stores] as readonly unknown[] as AnyStore[], exported, examples: found.examples };
}

/** The nearest file of a name, from a folder upwards. */
function nearest(folder: string, name: string): string | undefined {
  const file = join(folder, name);
  if (existsSync(file)) return file;
  return dirname(folder) === folder ? undefined : nearest(dirname(folder), name);
}

function manifestIn(file: string): { readonly floe?: { readonly model?: unknown } } {
  try {
    return JSON.parse(readFileSync(file, 'utf8')) as ReturnType<typeof manifestIn>;
  } catch (cause) {
    throw notJson(file, cause);
  }
}

const ENDINGS = ['ts', 'tsx', 'mts', 'js', 'jsx', 'mjs'];

/** The model of the project around: what its `package.json` says, else where the guides put it. */
function ownModel(): string {
  const manifest = nearest(process.cwd(), 'package.json');
  const folder = manifest === undefined ? process.cwd() : dirname(manifest);
  const { floe } = manifest === undefined ? {} : manifestIn(manifest);
  if (typeof floe?.model === 'string') return relative(process.cwd(), join(folder, floe.model));
  for (const place of ['src/model/index', 'src/model'])
    for (const ending of ENDINGS) {
      const file = join(folder, `${place}.${ending}`);
      if (existsSync(file)) return relative(process.cwd(), file);
    }
  throw noModel(folder);
}
