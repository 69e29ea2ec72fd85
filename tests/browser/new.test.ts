// What `floe new` writes: tested, built, and driven in Chromium, with the tools of this repository. With `FLOE_RUNS=1000` as a
// user gets it: from the packed package, with everything installed and the types checked.
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { execFile } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { extname, join } from 'node:path';
import { promisify } from 'node:util';
import type { Browser } from 'playwright-core';
import { floe } from '../support/command.js';
import { launch } from '../support/page.js';
import { longMode } from '../support/runs.js';
import { served } from '../support/vite.js';

const root = process.cwd();
mkdirSync(join(root, 'reports'), { recursive: true });
// In quick mode inside the project, whose packages it uses.
const folder = mkdtempSync(join(longMode ? tmpdir() : join(root, 'reports'), 'new-'));
// Jest's own settings of Node.js are not a user's.
const env = { ...process.env, NODE_OPTIONS: '', NODE_ENV: '' };
const run = (cwd: string, file: string, ...args: string[]) =>
  promisify(execFile)(file, args, { cwd, env, maxBuffer: 1 << 26 }).catch((error: unknown) => {
    const { stdout = '', stderr = '' } = error as { stdout?: string; stderr?: string };
    throw new Error(`${file} ${args.join(' ')}\n${stdout}\n${stderr}`);
  });
const node = (cwd: string, ...args: string[]) => run(cwd, process.execPath, ...args);
const tool = (path: string): string => join(root, 'node_modules', path);

let browser: Browser;
/** The command of the packed package, in the long mode. */
let installed: string | undefined;
beforeAll(async () => {
  browser = await launch();
  if (!longMode) return;
  const out = join(folder, 'tarball');
  mkdirSync(out);
  await node(root, 'scripts/package.mjs', '--built', '--to', join(folder, 'package'), '--tarball', out);
  // The command of the packed file writes applications that depend on that file.
  const from = join(folder, 'from');
  mkdirSync(from);
  writeFileSync(join(from, 'package.json'), '{}');
  await run(from, 'npm', 'install', '--no-audit', '--no-fund', '--loglevel=error', join(out, readdirSync(out)[0]));
  installed = join(from, 'node_modules/floe/dist/cli/bin.js');
});
afterAll(async () => {
  await browser?.close();
  rmSync(folder, { recursive: true, force: true });
});

/** Tests and builds an application. */
async function builtIn(app: string): Promise<void> {
  if (installed !== undefined) {
    await run(app, 'npm', 'install', '--no-audit', '--no-fund', '--loglevel=error');
    await run(app, 'npm', 'test');
    await run(app, 'npm', 'run', 'build');
    return;
  }
  await node(app, '--experimental-vm-modules', '--no-warnings', tool('jest/bin/jest.js'));
  await node(app, tool('vite/bin/vite.js'), 'build');
}

/** Its model is edited while its page is open: the page, its state, and what is typed stay. */
async function editedIn(app: string, address: string): Promise<void> {
  const page = await browser.newPage();
  const wrongs: string[] = [];
  page.on('pageerror', (error) => wrongs.push(error.message));
  page.on('console', (message) => ['error', 'warning'].includes(message.type()) && wrongs.push(message.text()));
  const loads: string[] = [];
  await page.goto(address);
  page.on('load', () => loads.push(page.url()));
  await page.getByLabel('Vessel').fill('Wren Sound');
  await page.getByRole('button', { name: 'Plan a visit' }).click();
  await page.getByRole('heading', { name: 'Expected today: 1' }).waitFor();
  await page.getByLabel('Vessel').fill('Corran B');
  await page.evaluate(() => {
    document.body.style.minHeight = '3000px';
    scrollTo(0, 400);
  });
  const file = join(app, 'src', 'model', 'visits.ts');
  const model = readFileSync(file, 'utf8');
  const edit = (from: string, to: string): void => {
    expect(model).toContain(from);
    writeFileSync(file, model.replace(from, to));
  };
  edit('=> list.length', '=> 10 * list.length');
  await page.getByRole('heading', { name: 'Expected today: 10' }).waitFor();
  const place = (): Promise<unknown[]> =>
    Promise.all([page.getByLabel('Vessel').inputValue(), page.evaluate(() => scrollY)]);
  expect([await place(), loads]).toEqual([['Corran B', 400], []]);
  const component = ['Board.tsx', 'Board.vue', 'board.ts', 'Board.svelte'].find((name) =>
    existsSync(join(app, 'src', name)),
  );
  if (component !== undefined) {
    const path = join(app, 'src', component);
    writeFileSync(path, readFileSync(path, 'utf8').replace('Expected today', 'Expected this day'));
    await page.getByRole('heading', { name: 'Expected this day: 10' }).waitFor();
    writeFileSync(path, readFileSync(path, 'utf8').replace('Expected this day', 'Expected today'));
    await page.getByRole('heading', { name: 'Expected today: 10' }).waitFor();
    // Angular and Svelte make an edited component again from its beginning.
    const isKept = component !== 'board.ts' && component !== 'Board.svelte';
    expect([await place(), loads]).toEqual([[isKept ? 'Corran B' : '', 400], []]);
    await page.getByLabel('Vessel').fill('Corran B');
  }
  edit('list.push(vessel)', 'list.push(vessel.toUpperCase())');
  await page.getByRole('heading', { name: 'Expected today: 1', exact: true }).waitFor();
  await page.getByRole('button', { name: 'Plan a visit' }).click();
  await page.locator('main li', { hasText: 'CORRAN B' }).waitFor();
  // What is gone leaves nothing to go on with. Components of Svelte take all updates: there the console says what is missing.
  const isTaken = component === 'Board.svelte';
  const said = (text: string) => page.waitForEvent('console', (message) => message.text().includes(text));
  const gone = isTaken ? said('Failed to reload /src/Board.svelte') : page.waitForEvent('load');
  edit('export const expected', 'export const expectedToday');
  await gone;
  const back = isTaken ? said('hot updated: /src/Board.svelte') : undefined;
  writeFileSync(file, model);
  await back;
  // The console said so, as it should.
  if (isTaken) wrongs.length = 0;
  // A module may declare on the store of another one, too: what it declared before is gone.
  const index = join(app, 'src', 'model', 'index.ts');
  const more = (by: string): void =>
    writeFileSync(
      join(app, 'src', 'model', 'more.ts'),
      `import { selector } from 'floe';
import { visitPlanned, visits } from './visits.js';
visits.when(visitPlanned, (draft, vessel) => void draft.list.push(vessel + ' by ${by}'));
export const last = selector('last', (read) => read(visits).list.at(-1) + ' by ${by}');
`,
    );
  more('day');
  const again = isTaken ? said('hot updated: /src/Board.svelte') : page.waitForEvent('load');
  writeFileSync(index, `${readFileSync(index, 'utf8')}export * from './more.js';\n`);
  await again;
  await page.getByLabel('Vessel').fill('Far Lodestar');
  await page.getByRole('button', { name: 'Plan a visit' }).click();
  await page.locator('main li', { hasText: 'Far Lodestar by day' }).waitFor();
  const updated = said('hot updated: /src/model/more.ts');
  more('night');
  await updated;
  await page.getByLabel('Vessel').fill('Kestrel');
  await page.getByRole('button', { name: 'Plan a visit' }).click();
  await page.locator('main li', { hasText: 'Kestrel by night' }).waitFor();
  expect(await page.locator('main li', { hasText: 'Kestrel by day' }).count()).toBe(0);
  expect([loads.length, wrongs.filter((one) => !one.includes('expected'))]).toEqual([isTaken ? 0 : 2, []]);
  await page.close();
}

const TYPES: Record<string, string> = { '.html': 'text/html', '.js': 'text/javascript', '.css': 'text/css' };

// The others in the long mode only: it installs Angular's compiler, and React's plugin for Vite.
test.each(['plain', ...(longMode ? ['vue', 'svelte', 'react', 'angular'] : [])])(
  'an application with %s passes its tests, shows what is planned, and keeps it',
  async (kind) => {
    const app = join(folder, kind);
    if (installed === undefined) {
      const { code, out, err } = await floe(['new', kind, '--with', kind], '', folder);
      expect([code, out.split('\n')]).toEqual([0, expect.arrayContaining([join(kind, '.gitignore')])]);
      expect(err).toMatch(/npm install/);
    } else await node(folder, installed, 'new', kind, '--with', kind);
    await builtIn(app);
    const page = await browser.newPage();
    const wrongs: string[] = [];
    page.on('pageerror', (error) => wrongs.push(error.message));
    page.on('console', (message) => message.type() === 'error' && wrongs.push(message.text()));
    await page.route('http://new.localhost/**', (route) => {
      const { pathname } = new URL(route.request().url());
      const file = pathname === '/' ? '/index.html' : pathname;
      return route.fulfill({ contentType: TYPES[extname(file)], body: readFileSync(join(app, 'dist', file)) });
    });
    await page.goto('http://new.localhost/');
    await page.getByText('Expected today: 0').waitFor();
    for (const vessel of ['Wren Sound', 'Corran Bell', 'Wren Sound']) {
      await page.getByLabel('Vessel').fill(vessel);
      await page.getByText('Plan a visit').click();
    }
    await page.getByText('Expected today: 2').waitFor();
    expect(await page.getByLabel('Vessel').inputValue()).toBe('');
    await page.locator('li', { hasText: 'Wren Sound' }).getByText('Cancel').click();
    await page.getByText('Expected today: 1').waitFor();
    // It is shown at once, and gone again when the office refuses it.
    await page.getByLabel('Vessel').fill('ghost');
    await page.getByText('Plan a visit').click();
    await page.locator('li', { hasText: 'ghost' }).waitFor();
    await page.getByText("The office refuses 'ghost'").waitFor();
    expect(await page.locator('li').count()).toBe(1);
    await page.getByLabel('Find').fill('wren');
    await page.waitForFunction(() => document.querySelectorAll('li').length === 0);
    await page.reload();
    await page.getByText('Expected today: 1').waitFor();
    expect([await page.getByLabel('Find').inputValue(), await page.locator('li').count()]).toEqual(['wren', 0]);
    await page.getByLabel('Find').fill('');
    await page.locator('li', { hasText: /^Corran Bell/ }).waitFor();
    expect(new URL(page.url()).search).toBe('');
    expect([wrongs, await page.locator('iframe[title=Inspector]').count()]).toEqual([[], 0]);
    await page.close();
    if (longMode || kind === 'plain')
      await served(app, (address) => editedIn(app, address), installed === undefined ? root : app);
  },
);

test('the versions that it writes are those of this repository', async () => {
  const versionsIn = (file: string) => {
    const { dependencies, devDependencies } = JSON.parse(readFileSync(file, 'utf8')) as Record<string, object>;
    return { ...dependencies, ...devDependencies } as Record<string, string>;
  };
  const own = versionsIn('package.json');
  for (const kind of ['react', 'vue', 'svelte', 'angular']) {
    await floe(['new', `${kind}-versions`, '--with', kind, '--json'], '', folder);
    const found = versionsIn(join(folder, `${kind}-versions`, 'package.json'));
    for (const [name, version] of Object.entries(found))
      if (name in own && name !== 'react' && name !== 'react-dom') expect([name, version]).toEqual([name, own[name]]);
  }
});

test('a folder that is in use is left alone, and a name that no package can have is refused', async () => {
  const used = join(folder, 'used');
  mkdirSync(used);
  writeFileSync(join(used, 'note.txt'), 'fog');
  const refused = await floe(['new', 'used', '--with', 'plain'], '', folder);
  expect([refused.code, refused.err, readdirSync(used)]).toEqual([
    2,
    expect.stringContaining('FLOE_FOLDER_IN_USE'),
    ['note.txt'],
  ]);
  const begun = join(folder, 'begun');
  mkdirSync(join(begun, '.git'), { recursive: true });
  expect((await floe(['new', '.', '--with', 'plain'], '', begun)).code).toBe(0);
  expect(JSON.parse(readFileSync(join(begun, 'package.json'), 'utf8'))).toMatchObject({ name: 'begun' });
  expect((await floe(['new', 'used/note.txt', '--with', 'plain'], '', folder)).err).toContain('FLOE_FOLDER_IN_USE');
  expect((await floe(['new', 'My Harbour', '--with', 'plain'], '', folder)).err).toContain('FLOE_BAD_OPTION');
  expect((await floe(['new', 'harbour', '--with', 'paper'], '', folder)).code).toBe(2);
});
