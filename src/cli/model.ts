// The stores that a command works with: a module of the application's own.
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { AnyStore } from '../core/index.js';
import { modelUnusable } from './errors.js';

/** A module of the application's own, with its stores and all that it exports. */
export interface ModelModule {
  readonly stores: readonly AnyStore[];
  readonly exported: readonly unknown[];
  /** What it exports as `examples`: actions for `floe explore`. */
  readonly examples: unknown;
}

/** The stores that a module exports as `stores`. */
export const storesIn = async (file: string): Promise<readonly AnyStore[]> => (await modelIn(file)).stores;

/** A module that exports its stores as `stores`. */
export async function modelIn(file: string): Promise<ModelModule> {
  let found: { readonly stores?: unknown; readonly examples?: unknown };
  try {
    found = (await import(pathToFileURL(resolve(file)).href)) as typeof found;
  } catch (cause) {
    throw modelUnusable(file, cause instanceof Error ? cause.message : String(cause), cause);
  }
  if (!Array.isArray(found.stores) || found.stores.length === 0)
    throw modelUnusable(file, "it exports no list 'stores'");
  return { stores: found.stores as readonly AnyStore[], exported: Object.values(found), examples: found.examples };
}
