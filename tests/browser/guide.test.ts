// The programs of the guide "On the screen: React", as a reader types them: compiled, built, and driven in Chromium.
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { execFile } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { promisify } from 'node:util';
import type { Browser, Page } from 'playwright-core';
import ts from 'typescript';
import { problemsOf } from '../support/compile.js';
import { floe } from '../support/command.js';
import { launch } from '../support/page.js';
import { inLongMode } from '../support/in-long-mode.js';
import { longMode } from '../support/runs.js';

const guide = readFileSync('docs/guides/on-the-screen-react.md', 'utf8');
const files = Array.from(guide.matchAll(/^```\w+ file=(\S+)\n([^]*?)^```$/gm), ([, path, text]) => ({ path, text }));
let folder: string;
let browser: Browser;
let built: Record<string, string>;

beforeAll(async () => {
  mkdirSync('reports', { recursive: true });
  folder = mkdtempSync(join(process.cwd(), 'reports', 'guide-'));
  for (const { path, text } of files) {
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), text);
  }
  writeFileSync(
    join(folder, 'src/readme.tsx'),
    /^```tsx no-run\n([^]*?)^```$/m.exec(readFileSync('README.md', 'utf8'))![1],
  );
  writeFileSync(
    join(folder, 'src/classes.tsx'),
    `import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { createRuntime } from 'floe';
import { RuntimeProvider } from 'floe/react';
import { Board } from './class-components';
import { visits, visitsArrived } from './model';
const runtime = createRuntime({ stores: [visits] });
runtime.dispatch(visitsArrived(['Ostrel', 'Ardle'].map((vessel) => ({ id: vessel, vessel, phase: 'expected' }))));
createRoot(document.getElementById('root')!).render(
  <StrictMode><RuntimeProvider runtime={runtime}><Board /></RuntimeProvider></StrictMode>,
);`,
  );
  const entries = ['readme', 'main', ...(longMode ? ['classes', 'suspended', 'server', 'client', 'panel'] : [])];
  const { stdout } = await promisify(execFile)(process.execPath, ['scripts/guide-page.mjs', folder, ...entries], {
    env: { ...process.env, NODE_ENV: 'development', NODE_OPTIONS: '' },
    maxBuffer: 1 << 27,
  });
  built = JSON.parse(stdout) as Record<string, string>;
  browser = await launch();
});
afterAll(async () => {
  await browser?.close();
  rmSync(folder, { recursive: true, force: true });
});

/** A page with a script; fails at its end when the console complained. */
async function opened(script: string, work: (page: Page) => Promise<void>, body = '<div id="root"></div>') {
  const page = await browser.newPage();
  const wrongs: string[] = [];
  page.on('pageerror', (error) => wrongs.push(error.message));
  page.on('console', (message) => message.type() === 'error' && wrongs.push(message.text()));
  await page.route('http://guide.localhost/**', (route) =>
    route.request().url().endsWith('.js')
      ? route.fulfill({ contentType: 'text/javascript', body: built[script] })
      : route.fulfill({
          contentType: 'text/html',
          body: `<!doctype html><link rel="icon" href="data:,"><body>${body}</body><script type="module" src="/page.js"></script>`,
        }),
  );
  await page.goto('http://guide.localhost/');
  await work(page);
  expect(wrongs).toEqual([]);
  await page.close();
}

test('every file compiles', () => {
  const sources = files.filter(({ path }) => path.startsWith('src/')).map(({ path }) => join(folder, path));
  expect(sources).toHaveLength(10);
  // As Vite's own projects are: without endings.
  const bundler = { module: ts.ModuleKind.ESNext, moduleResolution: ts.ModuleResolutionKind.Bundler };
  expect(problemsOf(sources, undefined, bundler)).toEqual([]);
});

test('Jest runs the test of the guide, and the commands read its model', async () => {
  writeFileSync(join(folder, 'package.json'), '{ "type": "module" }');
  const jest = join(process.cwd(), 'node_modules/jest/bin/jest.js');
  const env = { ...process.env, NODE_OPTIONS: '', NODE_ENV: '' };
  const { stderr } = await promisify(execFile)(process.execPath, ['--experimental-vm-modules', jest], {
    cwd: folder,
    env,
  });
  expect(stderr).toContain('1 passed, 1 total');
  expect((await floe(['graph'], '', folder)).out).toContain('tasks       load');
});

test("the README's page shows what is planned, and goes a step back", () =>
  opened('readme', async (page) => {
    await page.getByText('Planned: none').waitFor();
    await page.getByText('Plan a visit').click();
    await page.getByText('Plan a visit').click();
    await page.getByText('Planned: Wren Sound 1, Wren Sound 2').waitFor();
    await page.getByText('One step back').click();
    await page.getByText('Planned: Wren Sound 1', { exact: true }).waitFor();
  }));

const drive = async (page: Page): Promise<void> => {
  await page.getByText('2 visits').waitFor();
  await page.getByText('Far Lodestar, 2 March is expected').waitFor();
  await page.getByText('Only expected').click();
  expect(await page.locator('li').count()).toBe(1);
  await page.getByText('Depart').click();
  await page.waitForFunction(() => document.querySelectorAll('li').length === 0);
  await page.getByRole('button', { name: 'All' }).click();
  await page.getByText('Far Lodestar, 2 March is departed').waitFor();
};

test('the control room loads, filters and moves, under StrictMode', () => opened('main', drive));

inLongMode('class components show what is selected, inside and around', () =>
  opened('classes', async (page) => {
    await page.getByText('Ardle is expected').waitFor();
    await page.getByRole('button', { name: 'Depart' }).last().click();
    await page.getByText('Ardle is departed').waitFor();
    expect(await page.getByText('Ostrel is expected').count()).toBe(1);
  }),
);

inLongMode('a component suspends on a run', () =>
  opened('suspended', async (page) => {
    await page.getByText('2 visits are here').waitFor();
  }),
);

inLongMode('the server renders, and the page takes it over: what is kept differs on the second visit', async () => {
  expect(built.server).toContain('Far Lodestar, 2 March');
  await opened(
    'client',
    async (page) => {
      await page.evaluate(() => ((globalThis as unknown as { first: unknown }).first = document.querySelector('li')));
      await drive(page);
      await page.getByText('Only expected').click();
      await page.waitForFunction(() => JSON.stringify(localStorage).includes('expected'));
      await page.reload();
      await page.getByRole('button', { name: 'All' }).waitFor();
      expect(await page.locator('li').count()).toBe(1);
    },
    built.server,
  );
});

inLongMode('two panels own a runtime each', () =>
  opened('panel', async (page) => {
    await page.getByText('Far Lodestar, 3 March').waitFor();
    await page.getByText('Only expected').first().click();
    await page.getByText('Depart').first().click();
    expect(await page.locator('li').count()).toBe(2);
    expect(await page.getByText('is expected').count()).toBe(1);
  }),
);
