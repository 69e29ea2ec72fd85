// `npm test`: sets up, then checks formatting, lint, types, and runs all tests. Goes on after a failure, so that one run
// shows all; its exit code and last line tell the whole.
import { existsSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { build } from './build.mjs';
import { needChromium } from './chromium.mjs';
import { root, runTool, tell } from './run.mjs';
import { setUp } from './setup.mjs';

setUp();
const browser = needChromium(tell);
if (!browser) {
  tell('Chromium or Chrome is needed for the browser tests: install it, or set FLOE_CHROMIUM to its path.');
  process.exit(2);
}
process.env.FLOE_CHROMIUM = browser;

const harbour = join(root, 'examples', 'harbour');
const quiet = { quiet: true };
const checks = [
  ['Building', () => build()],
  ['Formatting', () => runTool('prettier/bin/prettier.cjs', ['--check', '--log-level', 'warn', '.'], quiet) === 0],
  ['Lint', () => runTool('eslint/bin/eslint.js', ['--max-warnings', '0', '.'], quiet) === 0],
  ['Types of the tests', () => runTool('typescript/bin/tsc', ['-p', 'tests'], quiet) === 0],
  ['Types of the benchmarks', () => runTool('typescript/bin/tsc', ['-p', 'bench'], quiet) === 0],
  ['Types of the harbour example', () => runTool('typescript/bin/tsc', ['-p', harbour], quiet) === 0],
];
let passed = 0;
let failed = 0;
for (const [name, work] of checks) {
  const began = performance.now();
  const fine = work();
  if (fine) passed++;
  else failed++;
  tell(`${fine ? 'passed' : 'FAILED'}  ${name} (${((performance.now() - began) / 1000).toFixed(1)} s)`);
}

const counts = join(root, 'reports', 'counts.json');
rmSync(counts, { force: true });
tell('Running the tests ...');
const status = runTool('jest/bin/jest.js', process.argv.slice(2), {
  env: { NODE_OPTIONS: `${process.env.NODE_OPTIONS ?? ''} --experimental-vm-modules --no-warnings`.trim() },
});
if (existsSync(counts)) {
  const tests = JSON.parse(readFileSync(counts, 'utf8'));
  passed += tests.passed;
  failed += tests.failed;
}
// A run that ended badly in a way that no count shows is a failure nevertheless; so is one that ran nothing.
if ((status !== 0 || !existsSync(counts)) && failed === 0) failed = 1;
process.stdout.write(`${passed} passed, ${failed} failed\n`);
process.exitCode = failed > 0 ? 1 : 0;
