// `npm test`: sets up, then checks formatting, lint, types, and runs all tests. Goes on after a failure, so that one run
// shows all; its exit code and last line tell the whole.
import { existsSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { build } from './build.mjs';
import { launchOptions, needChromium } from './chromium.mjs';
import { COMPILER, root, startTool, tell } from './run.mjs';
import { setUp } from './setup.mjs';

setUp();
const browser = needChromium(tell);
if (browser) process.env.FLOE_CHROMIUM = browser;
else {
  tell('Chromium or Chrome is needed for the browser tests: install it, or set FLOE_CHROMIUM to its path.');
  // A run without these tests is no passed one where a machine reads only the exit code.
  if (process.env.CI) process.exit(2);
}

let passed = 0;
let failed = 0;
function report(name, began, fine) {
  if (fine) passed++;
  else failed++;
  tell(`${fine ? 'passed' : 'FAILED'}  ${name} (${((performance.now() - began) / 1000).toFixed(1)} s)`);
}

// What needs no build has the second core meanwhile.
const early = Promise.all([
  check('Lint', 'eslint/bin/eslint.js', ['--max-warnings', '0', '.']),
  check('Formatting', 'prettier/bin/prettier.cjs', ['--check', '--log-level', 'warn', '.']),
]);
const start = performance.now();
report('Building', start, build());

let tests = 0;
let runs = 0;

/** Runs the tests of some of Jest's projects, and counts them. */
async function test(projects, options, more = {}) {
  const counts = join(root, 'reports', `counts-${++runs}.json`);
  rmSync(counts, { force: true });
  tell(`Running the tests in ${projects[0] === 'browser' ? 'a browser' : 'Node.js'} ...`);
  const args = ['--selectProjects', ...projects, ...options, '--passWithNoTests', ...process.argv.slice(2)];
  const { status } = await startTool('jest/bin/jest.js', args, {
    shows: true,
    env: {
      ...more,
      FLOE_COUNTS: counts,
      NODE_OPTIONS: `${process.env.NODE_OPTIONS ?? ''} --experimental-vm-modules --no-warnings`.trim(),
    },
  });
  const count = existsSync(counts) ? JSON.parse(readFileSync(counts, 'utf8')) : { passed: 0, failed: 0 };
  passed += count.passed;
  // A run that ended badly in a way that no count shows is a failure nevertheless.
  failed += status !== 0 && count.failed === 0 ? 1 : count.failed;
  tests += count.passed + count.failed;
}

async function check(name, tool, args) {
  const began = performance.now();
  const { status, printed } = await startTool(tool, args);
  if (status !== 0) process.stderr.write(printed);
  report(name, began, status === 0);
}

async function checks() {
  await early;
  const types = 'Types of tests, simulator, benchmarks and the harbour example';
  await check(types, COMPILER, ['-p', 'tsconfig.tests.json']);
}

// For two cores: the browser tests wait half of their time.
async function besideBrowser() {
  await checks();
  await test(['node', 'dom', 'production'], ['--maxWorkers', '2']);
}
async function inBrowser() {
  if (!browser) return;
  const { chromium } = await import('playwright-core');
  const shared = await chromium.launchServer(launchOptions(browser));
  await test(['browser'], ['--maxWorkers', '2'], { FLOE_BROWSER: shared.wsEndpoint() });
  await shared.close();
}
await Promise.all([besideBrowser(), inBrowser()]);
if (tests === 0) failed++;
const skipped = browser ? '' : '; the browser tests did not run, since there is no Chromium';
process.stdout.write(`${passed} passed, ${failed} failed${skipped}\n`);
process.exitCode = failed > 0 ? 1 : 0;
