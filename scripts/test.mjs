// `npm test`: sets up, then checks formatting, lint, types, and runs all tests. Goes on after a failure, so that one run
// shows all; its exit code and last line tell the whole.
import { existsSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { build } from './build.mjs';
import { needChromium } from './chromium.mjs';
import { root, runTool, startTool, tell } from './run.mjs';
import { setUp } from './setup.mjs';

setUp();
const browser = needChromium(tell);
if (!browser) {
  tell('Chromium or Chrome is needed for the browser tests: install it, or set FLOE_CHROMIUM to its path.');
  process.exit(2);
}
process.env.FLOE_CHROMIUM = browser;

let passed = 0;
let failed = 0;
function report(name, began, fine) {
  if (fine) passed++;
  else failed++;
  tell(`${fine ? 'passed' : 'FAILED'}  ${name} (${((performance.now() - began) / 1000).toFixed(1)} s)`);
}

const start = performance.now();
report('Building', start, build());

// Two rows of checks side by side, for two cores. The lint takes as long as all others together.
const types = (folder) => ['typescript/bin/tsc', ['-p', folder]];
const checks = [
  [['Lint', 'eslint/bin/eslint.js', ['--max-warnings', '0', '.']]],
  [
    ['Formatting', 'prettier/bin/prettier.cjs', ['--check', '--log-level', 'warn', '.']],
    ['Types of the tests', ...types('tests')],
    ['Types of the simulator', ...types('simulator')],
    ['Types of the benchmarks', ...types('bench')],
    ['Types of the harbour example', ...types(join('examples', 'harbour'))],
  ],
];
await Promise.all(
  checks.map(async (row) => {
    for (const [name, tool, args] of row) {
      const began = performance.now();
      const { status, printed } = await startTool(tool, args);
      if (status !== 0) process.stderr.write(printed);
      report(name, began, status === 0);
    }
  }),
);

// The browser tests run one after the other: a page and its browser need two cores. The others run side by side.
const counts = join(root, 'reports', 'counts.json');
let tests = 0;
for (const options of [
  ['--selectProjects', 'browser', '--runInBand'],
  ['--selectProjects', 'node', 'dom', '--maxWorkers', '2'],
]) {
  rmSync(counts, { force: true });
  tell(`Running the tests in ${options[1] === 'browser' ? 'a browser' : 'Node.js'} ...`);
  const status = runTool('jest/bin/jest.js', [...options, '--passWithNoTests', ...process.argv.slice(2)], {
    env: { NODE_OPTIONS: `${process.env.NODE_OPTIONS ?? ''} --experimental-vm-modules --no-warnings`.trim() },
  });
  const count = existsSync(counts) ? JSON.parse(readFileSync(counts, 'utf8')) : { passed: 0, failed: 0 };
  passed += count.passed;
  // A run that ended badly in a way that no count shows is a failure nevertheless.
  failed += status !== 0 && count.failed === 0 ? 1 : count.failed;
  tests += count.passed + count.failed;
}
if (tests === 0) failed++;
process.stdout.write(`${passed} passed, ${failed} failed\n`);
process.exitCode = failed > 0 ? 1 : 0;
