// `npm run example NAME`: sets up, builds, and serves one of the small examples with its inspector; without a name it lists them.
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parts } from './build.mjs';
import { root, run, runNpm, runTool, tell } from './run.mjs';
import { setUp } from './setup.mjs';

const examples = {
  tides: 'Vue: derived data, drawn',
  crew: 'Angular: a form that survives',
  pilots: 'Svelte: a queue, optimistic and undone',
  gauge: 'no framework: live, three tabs, offline',
};

const [name, ...options] = process.argv.slice(2);
if (!(name in examples)) {
  if (name !== undefined) tell(`There is no example '${name}'.`);
  for (const [one, what] of Object.entries(examples))
    process.stdout.write(`npm run example ${one.padEnd(7)}  ${what}\n`);
  process.stdout.write('npm run demo             React: the control room, everything together\n');
  process.exit(name === undefined ? 0 : 2);
}

setUp();
if (!existsSync(join(root, 'dist', 'core', 'index.js')))
  for (const [part, build] of parts) {
    if (part.startsWith('the harbour')) continue;
    tell(`Building ${part} ...`);
    if (build() !== 0) process.exit(1);
  }
const folder = join(root, 'examples', name);
const { standsAlone } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'));
// Its framework's compiler is large, and nothing else needs it.
if (standsAlone && !existsSync(join(folder, 'node_modules'))) {
  tell(`Installing what only '${name}' needs ...`);
  if (runNpm(['install', '--no-audit', '--no-fund', '--loglevel=error'], { cwd: folder }) !== 0) process.exit(1);
}
const vite = standsAlone ? join(folder, 'node_modules', 'vite/bin/vite.js') : undefined;
const served = vite
  ? run(process.execPath, [vite, ...options], { cwd: folder })
  : runTool('vite/bin/vite.js', options, { cwd: folder });
process.exit(served);
