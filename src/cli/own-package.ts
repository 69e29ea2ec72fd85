// The package that the command belongs to.
import { readFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';

/** Its folder, with the templates of `floe new`. */
export const packageFolder = fileURLToPath(new URL('../../', import.meta.url));

export const packageVersion = (): string =>
  (JSON.parse(readFileSync(join(packageFolder, 'package.json'), 'utf8')) as { readonly version: string }).version;

/**
 * What an application in a folder depends on, to get the package that this command belongs to: a packed file or a checkout where it
 * came from one, else its version.
 */
export function dependencyFrom(folder: string): string {
  const { name, private: isCheckout } = JSON.parse(readFileSync(join(packageFolder, 'package.json'), 'utf8')) as {
    readonly name: string;
    readonly private?: boolean;
  };
  const fileOf = (place: string): string => `file:${relative(folder, place).replaceAll('\\', '/')}`;
  if (isCheckout) return fileOf(packageFolder);
  const modules = dirname(packageFolder.replace(/[\\/]$/, ''));
  try {
    // What npm notes of what it has installed; of a packed file, its path from the project's folder.
    const { packages } = JSON.parse(readFileSync(join(modules, '.package-lock.json'), 'utf8')) as {
      readonly packages: Readonly<Record<string, { readonly resolved?: string } | undefined>>;
    };
    const { resolved } = packages[`node_modules/${name}`] ?? {};
    if (resolved?.startsWith('file:')) return fileOf(join(dirname(modules), resolved.slice('file:'.length)));
  } catch {
    // Another package manager installed it.
  }
  return `^${packageVersion()}`;
}
