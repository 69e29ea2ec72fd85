// The package that the command belongs to.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** Its folder, with the templates of `floe new`. */
export const packageFolder = fileURLToPath(new URL('../../', import.meta.url));

export const packageVersion = (): string =>
  (JSON.parse(readFileSync(join(packageFolder, 'package.json'), 'utf8')) as { readonly version: string }).version;
