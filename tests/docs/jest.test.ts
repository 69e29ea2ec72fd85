// The guide "Testing with Jest": each of its settings, in a project that has the packed package, run as a reader would.
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { execFileSync, spawnSync } from 'node:child_process';
import {
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  realpathSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { longMode } from '../support/runs.js';

const root = process.cwd();
const guide = readFileSync(join(root, 'docs/guides/testing-with-jest.md'), 'utf8');
const folder = realpathSync(mkdtempSync(join(tmpdir(), 'floe-jest-')));
const modules = join(folder, 'node_modules');

/** The files that a section shows: each names itself in its first line. */
const filesOf = (section: string): [string, string][] => {
  const text = guide.split(/^## /m).find((one) => one.startsWith(section))!;
  return Array.from(text.matchAll(/^```\w+\n\/\/ (\S+)\n([^]*?)^```$/gm), ([, name, code]) => [name, code]);
};

const MODEL = `import { store } from 'floe';
import { entity, rowOf, tables } from 'floe/entities';

interface Berth {
  readonly id: string;
  readonly quay: string;
}
export const berth = entity('berth', rowOf<Berth>(), { key: 'id' });
export const port = tables('port', [berth]);
export const log = store('log', { note: '' });
export const noteWritten = log.action('noteWritten', (draft, note: string) => {
  draft.note = note;
});
`;
const TEST = `import { expect, test } from '@jest/globals';
import { store } from 'floe';
import { testRuntime } from 'floe/testing';
import { berth, log, noteWritten, port } from './model';

test('the model', () => {
  const runtime = testRuntime({ stores: [log, port] });
  runtime.dispatch(noteWritten('Fog at noon.'));
  runtime.dispatch(port.put(berth, { id: 'N1', quay: 'North' }));
  expect(runtime.read(log).note).toBe('Fog at noon.');
  expect(runtime.trace.steps).toHaveLength(3);
  // The build of development says it with words.
  expect(() => store('log/1', {})).toThrow(/non-empty string/);
});
`;

beforeAll(() => {
  mkdirSync(modules);
  // Jest goes by real paths: the package itself must lie in the folder.
  execFileSync(process.execPath, ['scripts/package.mjs', '--built', '--to', join(modules, 'floe')], { stdio: 'pipe' });
  for (const name of readdirSync(join(root, 'node_modules')))
    if (!name.startsWith('.') && name !== 'floe') symlinkSync(join(root, 'node_modules', name), join(modules, name));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** A project with the settings of a section. */
function jest(section: string, settings: readonly [string, string][]) {
  const app = mkdtempSync(join(folder, 'app-'));
  const isModule = settings.some(([name]) => name.endsWith('.mjs'));
  writeFileSync(join(app, 'package.json'), JSON.stringify({ name: 'harbour', ...(isModule && { type: 'module' }) }));
  for (const [name, code] of settings) writeFileSync(join(app, name), code);
  writeFileSync(join(app, 'model.ts'), MODEL);
  writeFileSync(join(app, 'model.test.ts'), TEST);
  const bin = join(modules, 'jest/bin/jest.js');
  const flags = section.startsWith('ES modules') ? ['--experimental-vm-modules', '--no-warnings'] : [];
  const { status, stderr } = spawnSync(process.execPath, [...flags, bin, '--no-watchman', '-i'], {
    cwd: app,
    encoding: 'utf8',
    env: { ...process.env, NODE_OPTIONS: '', NODE_ENV: '' },
  });
  return { status, said: stderr };
}

// What takes ten times as long as the others has them in the long mode only.
const slow = longMode ? ['Babel', 'ts-jest'] : [];
test.each(['SWC', 'ES modules as they are', 'Components, in a simulated DOM', ...slow])(
  '%s: the settings of the guide run a test of a model',
  (section) => {
    const settings = filesOf(section);
    expect(settings.length).toBeGreaterThan(0);
    const { status, said } = jest(section, settings);
    expect([said.includes('1 passed'), status, said]).toEqual([true, 0, expect.anything()]);
  },
);

test('without its line Jest says what the guide says', () => {
  const settings = filesOf('SWC').map(([name, code]): [string, string] => [
    name,
    code.replace(/^ *transformIgnorePatterns.*\n/m, ''),
  ]);
  const { status, said } = jest('SWC', settings);
  expect([status, guide.includes('`Must use import to load ES Module`'), said]).toEqual([
    1,
    true,
    expect.stringContaining('Must use import to load ES Module'),
  ]);
});
