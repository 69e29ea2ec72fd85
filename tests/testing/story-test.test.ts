// From a race to the test that has it happen, as a user does it: the test fails, the race is mended, the test passes.
import { afterAll, expect, test } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { floe } from '../support/command.js';
import { longMode } from '../support/runs.js';

const folder = mkdtempSync(join(process.cwd(), 'tests', 'testing', 'story-'));
afterAll(() => rmSync(folder, { recursive: true }));

const model = join(folder, 'model.mjs');
writeFileSync(
  model,
  `import { need, store, task } from 'floe';
const office = need('office');
const vessel = store('vessel', { name: 'Ern' });
const known = vessel.action('known', (_state, name) => ({ name }));
const look = task(vessel, 'look', async ({ dispatch, read, use }) => {
  const before = read(rename.status);
  const name = await use(office).name();
  if (!process.env.MENDED || (read(rename.status) === before && before.phase !== 'running')) dispatch(known(name));
});
const rename = task(vessel, 'rename', async ({ dispatch, use }, name) => {
  dispatch(known(name));
  await use(office).rename(name);
});
export const stores = [vessel];
export const examples = [look(), rename('Tern')];
export const needs = [
  office.outcomes({ name: 'Ern' }, (all) => ({ name: () => [all.name], rename: (name) => [void (all.name = name)] })),
];
export const atRest = {
  'the screen says what the office says': (read, knownBy) => read(vessel).name === knownBy(office).name,
};
`,
);

const jest = (env: Record<string, string>) =>
  spawnSync(
    process.execPath,
    [
      ...['--experimental-vm-modules', '--no-warnings', 'node_modules/jest/bin/jest.js', '--rootDir', folder],
      ...[
        '-c',
        '{"transform":{},"moduleFileExtensions":["mjs","js"]}',
        '--runTestsByPath',
        join(folder, 'race.test.mjs'),
      ],
    ],
    { encoding: 'utf8', env: { ...process.env, ...env } },
  );

test('a race is found, written as a test, and mended', async () => {
  const way = join(folder, 'way.jsonl');
  const found = await floe(['explore', '--model', model, '--steps', '6', '--save', way]);
  expect([found.code, found.out]).toEqual([1, expect.stringContaining('the screen says what the office says')]);
  const out = join(folder, 'race.test.mjs');
  expect((await floe(['write-test', way, '--model', './model.mjs', '--out', out])).code).toBe(0);
  const red = jest({});
  expect([red.status, red.stderr]).toEqual([1, expect.stringContaining('Expected: true')]);
  if (!longMode) return;
  const green = jest({ MENDED: '1' });
  expect([green.status, green.stderr]).toEqual([0, expect.stringContaining('1 passed')]);
});
