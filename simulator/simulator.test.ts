// Programs of all kinds at fixed seeds: none of them shows a fault.
import { readFileSync } from 'node:fs';
import { beforeAll, expect, jest, test } from '@jest/globals';
import { library as development, type Library } from './library.js';
import { played, simulate, type Given } from './simulate.js';
import { share } from '../tests/support/runs.js';

let production: Library;
beforeAll(async () => {
  const { NODE_ENV } = process.env;
  process.env.NODE_ENV = 'production';
  jest.resetModules();
  ({ library: production } = await import('./library.js'));
  process.env.NODE_ENV = NODE_ENV;
});

interface Finding extends Given {
  readonly what: string;
}

const found = readFileSync(new URL('found.jsonl', import.meta.url), 'utf8')
  .trim()
  .split('\n');

test.each(found.map((line) => JSON.parse(line) as Finding).map((one): [string, Finding] => [one.what, one]))(
  'found before: %s',
  async (_what, given) => {
    await expect(played(given, { development, production })).resolves.toBeUndefined();
  },
);

test.each([
  ['one session', ['solo'], 60],
  ['one session after the other on a place that fails', ['kept'], 50],
  ['tabs of two versions', ['tabs'], 50],
  ['devices on one server', ['devices'], 30],
])('%s', async (_what, only, programs) => {
  const { found } = await simulate({
    ...{ development, production, only },
    seed: 20_261_130,
    programs: Math.ceil(programs * share),
  });
  expect(found && `${found.message}\n${found.source}`).toBeUndefined();
});
