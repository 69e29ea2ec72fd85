// The package as a user gets it: packed, installed into an empty project, and used there. `npm test` installs once, and runs a
// program in Node.js and one in a page without a bundler; `FLOE_RUNS=1000` tries every bundler and compiler that Floe supports.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { execFile } from 'node:child_process';
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { extname, join } from 'node:path';
import { promisify } from 'node:util';
import { launch } from '../support/page.js';
import { longMode } from '../support/runs.js';

const root = process.cwd();
const folder = mkdtempSync(join(tmpdir(), 'floe-installed-'));
const modules = join(folder, 'node_modules');
const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm';
// Jest's own settings of Node.js are not a user's.
const env = { ...process.env, NODE_OPTIONS: '', NODE_ENV: '' };

async function run(file: string, args: readonly string[]): Promise<string> {
  try {
    return (await promisify(execFile)(file, args, { cwd: folder, env, maxBuffer: 1 << 26 })).stdout.trim();
  } catch (error) {
    const { stdout = '', stderr = '', message } = error as { stdout?: string; stderr?: string; message: string };
    throw new Error(`${message}\n${stdout}\n${stderr}`, { cause: error });
  }
}
const node = (...args: string[]) => run(process.execPath, args);
const install = (...packages: string[]) =>
  run(npm, ['install', '--no-audit', '--no-fund', '--prefer-offline', '--loglevel=error', ...packages]);
const write = (name: string, text: string): void => writeFileSync(join(folder, name), text);

beforeAll(async () => {
  const out = join(folder, 'tarball');
  mkdirSync(out);
  await node(join(root, 'scripts/package.mjs'), '--built', '--to', join(folder, 'package'), '--tarball', out);
  write('package.json', JSON.stringify({ name: 'shift', private: true, type: 'module' }));
  await install(join(out, readdirSync(out)[0]));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Uses each entry that needs no framework, and prints one line. */
const program = `
import { createRuntime, store, task } from 'floe';
import { entity, rowOf, tables } from 'floe/entities';
import { memoryStorage } from 'floe/persist';
import { recording } from 'floe/trace';

interface Vessel { hull: string; name: string }
const vessel = entity('vessel', rowOf<Vessel>(), { key: 'hull' });
const port = tables('port', [vessel]);
const log = store('log', { notes: [] as string[] }).persisted();
const noteWritten = log.action('noteWritten', (draft, note: string) => { draft.notes.push(note); });
const note = task('note', async ({ dispatch, sleep }) => { await sleep(1); dispatch(noteWritten('Fog at noon.')); });

export async function shift(): Promise<string> {
  const runtime = createRuntime({ stores: [port, log], trace: recording(), storage: memoryStorage() });
  runtime.dispatch(port.ingest(vessel, [{ hull: 'SK-114', name: 'Corran Bell' }]));
  await runtime.run(note());
  const reported = [runtime.read(port.one(vessel, 'SK-114'))?.name, runtime.read(log).notes[0], runtime.trace.steps.length];
  runtime.trace.back();
  runtime.trace.back();
  reported.push(runtime.read(log).notes.length);
  await runtime.close();
  return reported.join(' | ');
}
`;
const script = program.replace(/interface .*\n/, '').replace(/ as string\[\]|: string|<Vessel>|: Promise<string>/g, '');
const printed = 'Corran Bell | Fog at noon. | 5 | 0';

const sizeOf = (path: string): number =>
  statSync(path).isDirectory()
    ? readdirSync(path).reduce((sum, name) => sum + sizeOf(join(path, name)), 0)
    : statSync(path).size;

test('the package brings at most 6 packages of at most 1.5 MB together beside the loader of models, and nothing of the demo', () => {
  const brought = readdirSync(modules)
    .filter((name) => !name.startsWith('.') && name !== 'floe')
    .flatMap((name) =>
      name.startsWith('@') ? readdirSync(join(modules, name)).map((one) => `${name}/${one}`) : [name],
    );
  expect(brought.length).toBeLessThanOrEqual(6);
  // What loads models for the command line is as large as the others together, and no application bundles it.
  const [loader, others] = [brought.filter((name) => name === 'jiti'), brought.filter((name) => name !== 'jiti')];
  const size = (names: readonly string[]): number => names.reduce((sum, name) => sum + sizeOf(join(modules, name)), 0);
  expect(size(others)).toBeLessThan(1_500_000);
  expect(size(loader)).toBeLessThan(2_000_000);
  const own = readdirSync(join(modules, 'floe'), { recursive: true }).map(String);
  expect(own.filter((name) => /harbour|demo|\.png$|tsbuildinfo|\.test\./.test(name))).toEqual([]);
});

test('source maps lead to sources that are there', () => {
  const dist = join(modules, 'floe', 'dist');
  const maps = readdirSync(dist, { recursive: true })
    .map(String)
    .filter((name) => name.endsWith('.map'));
  expect(maps.length).toBeGreaterThan(100);
  const lost = maps.filter((name) => {
    const { sources } = JSON.parse(readFileSync(join(dist, name), 'utf8')) as { sources: string[] };
    return !sources.every((source) => existsSync(join(dist, name, '..', source)));
  });
  expect(lost).toEqual([]);
});

test('a program runs in Node.js, as a module and by require; so does the command', async () => {
  write('shift.js', script);
  write('main.js', "import { shift } from './shift.js';\nconsole.log(await shift());\n");
  expect(await node('main.js')).toBe(printed);
  write('main.cjs', "import('floe').then(({ store }) => console.log(typeof store));\n");
  expect(await node('main.cjs')).toBe('function');
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major > 22 || (major === 22 && minor >= 12) || (major === 20 && minor >= 19)) {
    write('required.cjs', "console.log(typeof require('floe').store, typeof require('floe/trace').recording);\n");
    expect(await node('required.cjs')).toBe('function function');
  }
  const { version } = JSON.parse(readFileSync(join(modules, 'floe', 'package.json'), 'utf8')) as { version: string };
  expect(await node(join(modules, 'floe/dist/cli/bin.js'), '--version')).toBe(version);
});

const types: Record<string, string> = { '.html': 'text/html', '.js': 'text/javascript', '.json': 'application/json' };

test.each(['', 'production/'])('a page without a bundler runs it from dist/%s', async (build) => {
  const floe = `/node_modules/floe/dist/${build}`;
  const imports = {
    floe: `${floe}core/index.js`,
    'floe/entities': `${floe}entities/index.js`,
    'floe/persist': `${floe}persist/index.js`,
    'floe/trace': `${floe}trace/index.js`,
    idb: '/node_modules/idb/build/index.js',
  };
  write('shift.js', script);
  write(
    'index.html',
    `<!doctype html><script type="importmap">${JSON.stringify({ imports })}</script>
<script type="module">import { shift } from './shift.js'; document.body.textContent = await shift();</script><body></body>`,
  );
  const server = createServer((request, response) => {
    const file = join(folder, request.url === '/' ? 'index.html' : request.url!);
    if (!existsSync(file)) return void response.writeHead(404).end();
    response.writeHead(200, { 'Content-Type': types[extname(file)] ?? 'text/plain' }).end(readFileSync(file));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const browser = await launch();
  try {
    const page = await browser.newPage();
    const errors: string[] = [];
    page.on('pageerror', (error) => errors.push(error.message));
    await page.goto(`http://127.0.0.1:${(server.address() as AddressInfo).port}/`);
    await page.waitForFunction(() => document.body.textContent !== '').catch(() => undefined);
    expect([errors, await page.locator('body').textContent()]).toEqual([[], printed]);
  } finally {
    await browser.close();
    server.close();
  }
});

(longMode ? describe : describe.skip)('in the long mode', () => {
  const main = "import { shift } from './shift.js';\nshift().then((line) => console.log(line));\n";

  test.each(['vite', 'webpack', 'rollup', 'esbuild'])('%s bundles the program', async (bundler) => {
    write('shift.js', script);
    write('main.js', main);
    const bundle = `import { bundledFile } from ${JSON.stringify(join(root, 'bench/size.mjs'))};
      process.stdout.write(await bundledFile(${JSON.stringify(join(folder, 'main.js'))}, '${bundler}'));`;
    const { stdout } = await promisify(execFile)(process.execPath, ['--input-type=module', '-e', bundle], {
      ...{ cwd: root, env: { ...env, NODE_ENV: 'production' }, maxBuffer: 1 << 27 },
    });
    write('bundle.mjs', stdout);
    expect(await node('bundle.mjs')).toBe(printed);
  });

  test.each(['5.6', '5.9', 'latest'])('TypeScript %s finds the types, however modules are found', async (version) => {
    await install(`typescript@${version}`);
    write('shift.ts', program);
    const old = ['5.6', '5.9'].includes(version);
    // The oldest way to find modules is gone from version 7 on.
    for (const [module, moduleResolution] of [
      ['nodenext', 'nodenext'],
      ['esnext', 'bundler'],
      ...(old ? [['esnext', 'node10']] : []),
    ]) {
      const compilerOptions = { module, moduleResolution, target: 'es2022', lib: ['es2022', 'dom'], types: [] };
      write(
        'tsconfig.json',
        JSON.stringify({ compilerOptions: { ...compilerOptions, strict: true, noEmit: true }, files: ['shift.ts'] }),
      );
      await node(join(modules, 'typescript/bin/tsc'), '-p', '.');
    }
  });
});
