// The project around: its folder, what its `package.json` says, and new files in it.
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileUnwritable, notJson } from './errors.js';

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

/**
 * Writes new files, with the folders that they need.
 * @param files their texts, by path
 * @param instead what to give instead where one cannot be written
 * @throws FLOE_FILE_UNWRITABLE
 */
export function writeNew(files: ReadonlyMap<string, string>, instead: string): void {
  for (const [path, text] of files)
    try {
      mkdirSync(dirname(path), { recursive: true });
      writeFileSync(path, text);
    } catch (cause) {
      throw fileUnwritable(path, cause, instead);
    }
}
