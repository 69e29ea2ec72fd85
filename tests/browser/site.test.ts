// The site, as `npm run docs` builds it: every link leads somewhere, search finds words, and the live page runs what is typed. In the
// long mode only: it installs what only the site needs.
import { afterAll, beforeAll, expect } from '@jest/globals';
import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { launch } from '../support/page.js';
import { inLongMode } from '../support/in-long-mode.js';
import { longMode } from '../support/runs.js';

const dist = join(process.cwd(), 'site', 'dist');
let browser: Browser;
let server: ChildProcess;
const address = 'http://127.0.0.1:4331';

beforeAll(async () => {
  if (!longMode) return;
  const env = { ...process.env, NODE_OPTIONS: '', NODE_ENV: '' };
  execFileSync(process.execPath, ['scripts/docs.mjs', '--build'], { env, stdio: 'pipe' });
  const preview = ['vitepress/bin/vitepress.js', 'preview', '.', '--port', '4331', '--host', '127.0.0.1'];
  server = spawn(process.execPath, [join('node_modules', preview[0]), ...preview.slice(1)], { cwd: 'site', env });
  await once(server.stdout!, 'data');
  browser = await launch();
});
afterAll(async () => {
  await browser?.close();
  server?.kill();
});

/** A page of the site; fails at its end when the console complained. */
async function opened(path: string, work: (page: Page) => Promise<void>): Promise<void> {
  const page = await browser.newPage();
  const wrongs: string[] = [];
  page.on('pageerror', (error) => wrongs.push(error.message));
  page.on('console', (message) => message.type() === 'error' && wrongs.push(message.text()));
  await page.goto(address + path);
  await work(page);
  expect(wrongs).toEqual([]);
  await page.close();
}

inLongMode('every link of every page leads to a page of the site', () => {
  const pages = readdirSync(dist, { recursive: true, encoding: 'utf8' }).filter((path) => path.endsWith('.html'));
  expect(pages.length).toBeGreaterThan(40);
  const lost = pages.flatMap((page) =>
    Array.from(readFileSync(join(dist, page), 'utf8').matchAll(/ href="(\/[^"#?]*)/g), ([, path]) => path)
      .filter((path) => !existsSync(join(dist, path.endsWith('/') ? `${path}index.html` : path)))
      .map((path) => `${page}: ${path}`),
  );
  expect(lost).toEqual([]);
});

inLongMode('code that looks like a link stays code', () => {
  const words = readFileSync(join(dist, 'guides/navigation.html'), 'utf8').replace(/<[^>]*>/g, '');
  expect(words).toContain('router[how](url)');
});

inLongMode('every guide and every lesson stands beside the pages', () => {
  const page = readFileSync(join(dist, 'ideas.html'), 'utf8');
  const missing = ['guides', 'tutorial'].flatMap((folder) =>
    readdirSync(`docs/${folder}`)
      .map((name) => `/${folder}/${name.replace('.md', '.html')}`)
      .filter((path) => !page.includes(`href="${path}"`)),
  );
  expect(missing).toEqual([]);
});

inLongMode('every export of every entry has its place in the reference', () => {
  let count = 0;
  const missing = readdirSync('docs/reference/api').flatMap((report) => {
    const entry = report.replace('.api.md', '').replace('-', '/');
    const page = readFileSync(
      join(dist, 'reference/exports', entry === 'floe' ? 'floe.html' : `floe/${entry}.html`),
      'utf8',
    );
    const names = readFileSync(join('docs/reference/api', report), 'utf8').matchAll(
      /^export (?:declare )?(?:abstract )?(?:function|const|interface|type|class) (\w+)/gm,
    );
    const exported = Array.from(names, ([, name]) => name);
    count += exported.length;
    return exported.filter((name) => !page.includes(`id="${name.toLowerCase()}"`)).map((name) => `${entry}: ${name}`);
  });
  expect(missing).toEqual([]);
  expect(count).toBeGreaterThan(200);
});

inLongMode('search finds words without a network', () =>
  opened('/ideas.html', async (page) => {
    await page.keyboard.press('Control+k');
    await page.locator('input[type=search], .search-input').first().fill('optimistic');
    await page.locator('.results li, [role=option]').first().waitFor();
  }),
);

inLongMode('the live page runs what is typed, with the inspector', () =>
  opened('/live.html', async (page) => {
    const live = page.frameLocator('iframe');
    await live.getByRole('button', { name: 'Plan a visit' }).click();
    await live.getByRole('heading', { name: 'Expected today: 2' }).waitFor();
    await live.getByText('Your click on “Plan a visit” dispatched').first().waitFor();
    await page.getByRole('textbox', { name: 'The program' }).click();
    await page.keyboard.press('Control+Home');
    await page.keyboard.type('window.name = "edited";');
    await page.waitForFunction(() => document.querySelector('iframe')?.contentWindow?.name === 'edited');
    await live.getByRole('heading', { name: 'Expected today: 1' }).waitFor();
  }),
);
