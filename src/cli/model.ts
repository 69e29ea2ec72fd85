// The stores that a command works with: a module of the application's own.
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { AnyStore } from '../core/index.js';
import { modelUnusable } from './errors.js';

/** The stores that a module exports as `stores`. */
export async function storesIn(file: string): Promise<readonly AnyStore[]> {
  let found: { readonly stores?: unknown };
  try {
    found = (await import(pathToFileURL(resolve(file)).href)) as typeof found;
  } catch (cause) {
    throw modelUnusable(file, cause instanceof Error ? cause.message : String(cause), cause);
  }
  if (!Array.isArray(found.stores) || found.stores.length === 0)
    throw modelUnusable(file, "it exports no list 'stores'");
  return found.stores as readonly AnyStore[];
}
