// The project around: its folder, what its `package.json` says.
import { existsSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { notJson } from './errors.js';

/** Of a `package.json`, what the commands look at. */
export interface Manifest {
  readonly dependencies?: Readonly<Record<string, string>>;
  readonly devDependencies?: Readonly<Record<string, string>>;
  readonly floe?: { readonly model?: unknown };
}

/** The nearest file of a name, from a folder upwards. */
export function nearest(folder: string, name: string): string | undefined {
  const file = join(folder, name);
  if (existsSync(file)) return file;
  return dirname(folder) === folder ? undefined : nearest(dirname(folder), name);
}

/** @throws FLOE_FILE_UNREADABLE */
export function manifestIn(file: string): Manifest {
  try {
    return JSON.parse(readFileSync(file, 'utf8')) as Manifest;
  } catch (cause) {
    throw notJson(file, cause);
  }
}
