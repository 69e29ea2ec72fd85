// Builds the programs of a guide: `node scripts/guide-page.mjs FOLDER ENTRY ...` writes what each entry's page needs, as JSON by
// entry, to standard output. An entry `server` is run, and its page is what it renders.
import { mkdirSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { build } from 'vite';
import { bundlePage } from './bundle-page.mjs';

const [folder, ...entries] = process.argv.slice(2);
const built = {};
for (const entry of entries) {
  const file = resolve(folder, 'src', `${entry}.tsx`);
  if (entry !== 'server') {
    built[entry] = await bundlePage(file, 'development');
    continue;
  }
  const { output } = await build({
    root: resolve(folder),
    configFile: false,
    logLevel: 'silent',
    build: { ssr: file, write: false, target: 'es2022' },
  });
  mkdirSync(join(folder, 'built'), { recursive: true });
  const program = resolve(folder, 'built', 'server.mjs');
  writeFileSync(program, output[0].code);
  const { page } = await import(pathToFileURL(program).href);
  built[entry] = await page();
}
process.stdout.write(JSON.stringify(built));
