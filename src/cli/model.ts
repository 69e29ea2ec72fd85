// The stores that a command works with: a module of the application's own, loaded as a bundler would take it.
import { existsSync, readFileSync } from 'node:fs';
import { dirname, isAbsolute, join, relative, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { FloeError, foreign, messageOf, StoreDefinition } from '../core/internal.js';
import type { AnyStore } from '../core/index.js';
import { modelUnusable, noModel } from './errors.js';
import { whileLoading } from './loading.js';
import { shown, type Output } from './output.js';
import { manifestIn, nearest } from './project.js';

/** A module of the application's own, with its stores and all that it exports. */
export interface ModelModule {
  /** Its path, as the user knows it. */
  readonly file: string;
  readonly stores: readonly AnyStore[];
  readonly exported: readonly unknown[];
  /** All that it exports, by name: `floe explore` takes examples, needs, tasks, interceptors and rules for rest from it. */
  readonly named: Readonly<Record<string, unknown>>;
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
    throw modelUnusable(file, obstacleIn(cause), cause);
  }
  const exported = Object.values(found);
  const listed = Array.isArray(found.stores) ? (found.stores as unknown[]) : exported;
  const stores = new Set(listed.filter((one): one is StoreDefinition => one instanceof StoreDefinition));
  if (stores.size === 0)
    throw foreignIn(listed) ?? modelUnusable(file, isCommonJs(path) ? COMMON_JS : 'it exports no store');
  return { file, stores: [...stores] as readonly unknown[] as AnyStore[], exported, named: found };
}

const COMMON_JS = 'it is a CommonJS module (module.exports). Floe is a package of ES modules: write import and export';

/** Whether a module exports in the way of CommonJS. */
function isCommonJs(path: string): boolean {
  const text = readFileSync(path, 'utf8');
  return /\bmodule\.exports\b|\bexports\.\w+\s*=/.test(text) && !/^\s*export\b/m.test(text);
}

/** Where a module exports stores of another copy of Floe: what to do about that. */
const foreignIn = (values: readonly unknown[]): FloeError | undefined =>
  values.map((one) => foreign(one)).find((error) => error !== undefined);

/** What kept a module from being loaded, and where it stands. */
function obstacleIn(cause: unknown): string {
  const message = messageOf(cause);
  const [, missing] = /^Cannot find (?:module|package) '([^']+)'/.exec(message) ?? [];
  if (missing !== undefined) {
    const [, importer] = /Require stack:\n- (.+)/.exec(message) ?? /imported from (.+)/.exec(message) ?? [];
    const by = importer === undefined ? '' : ` by ${shown(relative(process.cwd(), importer))}`;
    return missing.startsWith('.') || isAbsolute(missing)
      ? `'${shown(missing)}' is imported${by}, and there is no such file`
      : `the package '${shown(missing)}' is imported${by}, and is not installed`;
  }
  const [, ending, asset] = /^Unknown file extension "(\.\w+)" for (.+)/.exec(message) ?? [];
  if (asset !== undefined)
    return `it imports ${shown(relative(process.cwd(), asset))}, and Node loads no ${ending}: import it where the page begins`;
  const [, browserOnly] =
    /^(document|window|localStorage|sessionStorage|location|HTMLElement) is not defined/.exec(message) ?? [];
  if (browserOnly !== undefined)
    return `it uses '${browserOnly}' while it is loaded, which only a browser has: use it where the application starts, or in a task`;
  return message;
}

const ENDINGS = ['ts', 'tsx', 'mts', 'js', 'jsx', 'mjs'];

/** The module of a path without its ending, as bundlers find it. */
export const moduleAt = (bare: string): string | undefined =>
  [bare, join(bare, 'index')]
    .flatMap((one) => ENDINGS.map((ending) => `${one}.${ending}`))
    .find((file) => existsSync(file));

/** The model of the project around: what its `package.json` says, else where the guides put it. */
function ownModel(): string {
  const manifest = nearest(process.cwd(), 'package.json');
  const folder = manifest === undefined ? process.cwd() : dirname(manifest);
  const floe = manifest === undefined ? undefined : manifestIn(manifest).floe;
  if (typeof floe?.model === 'string') return relative(process.cwd(), join(folder, floe.model));
  const found = moduleAt(join(folder, 'src/model'));
  if (found !== undefined) return relative(process.cwd(), found);
  throw noModel(folder);
}
