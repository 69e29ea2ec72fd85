// `floe new --store NAME`, as a process, in projects of several habits.
import { afterAll, expect, test } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { floe } from '../support/command.js';

mkdirSync('reports', { recursive: true });
// Inside of this project: the generated modules import Floe.
const folder = mkdtempSync(join(process.cwd(), 'reports', 'stores-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

function project(name: string, files: Readonly<Record<string, string>>): string {
  const root = join(folder, name);
  for (const [path, text] of Object.entries(files)) {
    mkdirSync(dirname(join(root, path)), { recursive: true });
    writeFileSync(join(root, path), text);
  }
  return root;
}
const manifest = (...devDependencies: readonly string[]): string =>
  JSON.stringify({ type: 'module', devDependencies: Object.fromEntries(devDependencies.map((one) => [one, '*'])) });
const STORE = `import { store } from 'floe';\nexport const log = store('log', {});\n`;

test('where the project lists its stores, the command says so', async () => {
  const root = project('listed', {
    'package.json': manifest('@jest/globals'),
    'src/model/log.ts': STORE,
    'src/model/index.ts': "import { log } from './log';\nexport const stores = [log];\n",
  });
  const { err } = await floe(['new', '--store', 'tide'], '', root);
  expect(err).toContain("Add the store to the list 'stores' in src/model/index.ts.");
});

test.each([
  [
    'an empty one',
    { 'package.json': manifest() },
    ['src/model/tideTable.js', 'src/model/tideTable.test.js'],
    ["import { test } from 'node:test';", "from './tideTable.js';"],
  ],
  [
    'TypeScript and Vitest, tests in a folder of their own',
    {
      'package.json': manifest('vitest'),
      'tsconfig.json': '{}',
      'tests/log.spec.ts': "import { log } from '../src/stores/log.js';\n",
      'src/stores/log.ts': STORE,
      'dist/other/log.js': STORE,
    },
    ['src/stores/tideTable.ts', 'tests/tideTable.spec.ts'],
    ["import { expect, test } from 'vitest';", "from '../src/stores/tideTable.js';"],
  ],
  [
    'Jest with its globals, small letters and hyphens',
    {
      'package.json': manifest('jest'),
      'tsconfig.json': '{}',
      'app/harbour-log/log-store.ts': STORE,
      'app/harbour-log/__tests__/log-store.test.ts': "import { log } from '../log-store';\n",
    },
    ['app/harbour-log/tide-table.ts', 'app/harbour-log/__tests__/tide-table.test.ts'],
    ["from '../tide-table';"],
  ],
])('%s: the store and its test stand where the others do', async (name, files, paths, lines) => {
  const root = project(name.replaceAll(/\W/g, '-'), files);
  const { code, out, err } = await floe(['new', '--store', 'tideTable'], '', root);
  expect([code, out.trim().split('\n')]).toEqual([0, paths]);
  expect(err).toContain('createRuntime({ stores: [..., tideTable] })');
  const text = readFileSync(join(root, paths[1]), 'utf8');
  for (const line of lines) expect(text).toContain(line);
  const again = await floe(['new', '--store', 'tideTable'], '', root);
  expect([again.code, again.err]).toEqual([2, expect.stringContaining(`FLOE_FILE_IN_USE: '${paths[0]}'`)]);
});

test('the test that it writes passes', async () => {
  const root = project('passing', {
    'package.json': manifest(),
    'src/log.js': STORE,
  });
  expect((await floe(['new', '--store', 'berths'], '', root)).code).toBe(0);
  const env = { ...process.env, NODE_OPTIONS: '' };
  expect(
    execFileSync(process.execPath, ['--test', 'src/berths.test.js'], { cwd: root, env, encoding: 'utf8' }),
  ).toMatch(/pass 1/);
});

test('what cannot be done is said, with what to write instead', async () => {
  expect((await floe(['new', '--store', 'Tide table'], '', folder)).err).toContain('FLOE_BAD_OPTION');
  expect((await floe(['new', '--store', 'berths'], '', '/')).err).toContain('FLOE_NO_PROJECT');
  const { code, err } = await floe(['new', 'harbour']);
  expect([code, err]).toEqual([2, expect.stringContaining('--with what it shows its pages with: react, vue')]);
});
