// Builds the library, the command line, and the harbour example, each into its folder dist/.
import { chmodSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { COMPILER, root, run, runTool, tell } from './run.mjs';
import { setUp } from './setup.mjs';

const harbour = join(root, 'examples', 'harbour');
const runScript = (name, ...args) => run(process.execPath, [join(root, 'scripts', name), ...args], { quiet: true });
const tsc = (...args) => runTool(COMPILER, args, { quiet: true });

/** Each part of the build: its name, and how it runs. The later ones read what the earlier ones wrote. */
export const parts = [
  ['the library', () => tsc('-b', 'tsconfig.build.json')],
  ['the bundled libraries', () => runScript('bundle-libraries.mjs', 'libraries')],
  ['the production build', () => runScript('build-production.mjs')],
  ["the inspector's page", () => runScript('bundle-libraries.mjs', 'page')],
  ['the harbour office', () => tsc('-p', join(harbour, 'tsconfig.demo.json'))],
  [
    'the harbour page',
    () =>
      runTool('vite/bin/vite.js', ['build', '--logLevel', 'warn'], {
        quiet: true,
        cwd: harbour,
        env: { NODE_ENV: 'production' },
      }),
  ],
];

/** Builds all; false when a part failed. */
export function build() {
  for (const [name, work] of parts) {
    tell(`Building ${name} ...`);
    if (work() !== 0) return false;
  }
  chmodSync(join(root, 'dist', 'cli', 'bin.js'), 0o755);
  return true;
}

if (import.meta.url === pathToFileURL(process.argv[1]).href) {
  setUp();
  process.exit(build() ? 0 : 1);
}
