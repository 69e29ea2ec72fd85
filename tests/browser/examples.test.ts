// The small examples, in their frameworks' development mode: each does the one thing that it shows, by keyboard, narrow and dark, and
// leaves nothing on the console. Then its types are checked, and it is built.
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { createRuntime, store } from 'floe';
import { memoryStorage } from 'floe/persist';
import { violations } from '../support/inspector-page.js';
import { launch } from '../support/page.js';
import { longMode } from '../support/runs.js';
import { served } from '../support/vite.js';

let browser: Browser;
mkdirSync('reports', { recursive: true });
const out = mkdtempSync(join(process.cwd(), 'reports', 'examples-'));
beforeAll(async () => {
  browser = await launch();
});
afterAll(async () => {
  await browser?.close();
  rmSync(out, { recursive: true, force: true });
});

const vesselsIn = (page: Page): Promise<string[]> => page.locator('li strong').allInnerTexts();

const ideas: Record<string, (page: Page, another: () => Promise<Page>) => Promise<void>> = {
  async tides(page) {
    await page.getByRole('heading', { name: '4 clashes' }).waitFor();
    // More water, and only the two that share a berth are left.
    await page.getByLabel('Surge').focus();
    for (let i = 0; i < 9; i++) await page.keyboard.press('ArrowRight');
    await page.getByRole('heading', { name: '2 clashes' }).waitFor();
    await page
      .getByRole('button', { name: /^Ostrel .* N3, 15:00 to 20:00, lies at N3 together with Wren Sound/ })
      .focus();
    await page.keyboard.press('ArrowRight');
    await page.getByRole('heading', { name: 'No clash' }).waitFor();
    // In another line the focus stays with the vessel.
    await page.keyboard.press('ArrowUp');
    await page.getByRole('heading', { name: '2 clashes' }).waitFor();
    await page.waitForFunction(() => document.activeElement?.textContent.match(/^Ostrel.*, N2,/));
    await page.keyboard.press('ArrowDown');
    await page.getByRole('heading', { name: 'No clash' }).waitFor();
  },
  async pilots(page) {
    // The office answers after a second, however long the keys take.
    await page.clock.install();
    await page.clock.pauseAt(Date.now() + 1000);
    const handle = (vessel: string) => page.getByRole('button', { name: `Move ${vessel}` });
    await handle('Marram').focus();
    for (const _ of [1, 2]) await page.keyboard.press('ArrowDown');
    await handle('Ostrel').focus();
    await page.keyboard.press('ArrowUp');
    expect((await vesselsIn(page)).indexOf('Marram')).toBe(3);
    await page.clock.resume();
    // The office takes this one back, and keeps those before and after it.
    await page.getByText('Marram must be among the first 3').waitFor();
    await page.waitForFunction(() => document.querySelectorAll('.asked.shown').length === 0);
    expect([(await vesselsIn(page))[2], (await vesselsIn(page))[5]]).toEqual(['Marram', 'Ostrel']);
    await page.getByRole('button', { name: 'Dismiss' }).click();
    await page.keyboard.press('Control+z');
    await page.waitForFunction(() => [...document.querySelectorAll('li strong')].at(-1)?.textContent === 'Ostrel');
    await page.locator('li', { hasText: 'Skua Light' }).dragTo(page.locator('li', { hasText: 'Far Lodestar' }));
    await page.waitForFunction(() => document.querySelector('li strong')?.textContent === 'Skua Light');
  },
  async gauge(page, another) {
    const others = [await another(), await another()];
    await page.getByRole('button', { name: 'Cut the line' }).click();
    await page.getByLabel('Remark').fill('Swell from the south');
    await page.keyboard.press('Enter');
    for (const one of others) {
      await one.getByText(/Kept here, not sent: \d+ readings and 1 remark/).waitFor();
      await one.getByText('Another tab measures and sends.').waitFor();
    }
    await page.reload();
    await page.getByText(/and 1 remark/).waitFor();
    await page.close();
    // One of the others goes on, and sends what is left.
    await Promise.any(others.map((one) => one.getByText('This tab measures and sends.').waitFor()));
    await others[0].getByRole('button', { name: 'Restore the line' }).click();
    for (const one of others) await one.getByText('The office has everything.').waitFor();
  },
  async crew(page) {
    await page.getByRole('button', { name: 'Sign on' }).click();
    await page.getByText('A letter, a hyphen, three digits').waitFor();
    await page.keyboard.type('P-104');
    await page.keyboard.press('Tab');
    await page.keyboard.type('Bram Holt');
    await page.reload();
    await page.waitForFunction(() => document.querySelector<HTMLInputElement>('#name')?.value === 'Bram Holt');
    await page.getByLabel('Role').selectOption('pilot');
    await page.getByRole('button', { name: 'Sign on' }).click();
    await page.getByRole('alert').waitFor();
    await page.getByRole('button', { name: 'Dismiss' }).click();
    await page.getByRole('alert').waitFor({ state: 'detached' });
    await page.getByLabel('Badge').fill('P-117');
    await page.getByRole('button', { name: 'Sign on' }).click();
    await page.getByText('Bram Holt').waitFor();
    expect(await page.getByLabel('Name').inputValue()).toBe('');
    // What a user typed into the version before is there after the upgrade.
    const texts = new Map<string, string>();
    const before = store('form', { badge: '', first: '', last: '' }).persisted();
    const runtime = createRuntime({ stores: [before], storage: memoryStorage(texts) });
    runtime.dispatch(before.edits().merge({ badge: 'T-300', first: 'Mara', last: 'Quill' }));
    await runtime.close();
    await page.evaluate(
      (kept) => {
        for (const [key, text] of kept) localStorage.setItem(`crew:${key}`, text);
      },
      [...texts],
    );
    await page.reload();
    await page.waitForFunction(() => document.querySelector<HTMLInputElement>('#name')?.value === 'Mara Quill');
    expect(await page.getByLabel('Badge').inputValue()).toBe('T-300');
  },
};

test.each(longMode ? Object.keys(ideas) : ['pilots'])('%s', async (name) => {
  const folder = join('examples', name);
  const isAlone = existsSync(join(folder, 'tsconfig.app.json'));
  if (isAlone)
    execFileSync('npm', ['install', '--no-audit', '--no-fund', '--no-package-lock', '--loglevel=error'], {
      cwd: folder,
    });
  const modules = isAlone ? join(process.cwd(), folder) : process.cwd();
  const wrongs: string[] = [];
  await served(
    folder,
    async (address) => {
      const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
      const opened = async (): Promise<Page> => {
        const page = await context.newPage();
        page.on('pageerror', (error) => wrongs.push(error.message));
        page.on('console', (message) => ['error', 'warning'].includes(message.type()) && wrongs.push(message.text()));
        await page.goto(address);
        await page.locator('iframe[title=Inspector]').waitFor();
        return page;
      };
      const looked = await opened();
      for (const colorScheme of ['light', 'dark'] as const) {
        await looked.emulateMedia({ colorScheme });
        expect([name, colorScheme, await violations(looked, 'main')]).toEqual([name, colorScheme, []]);
      }
      await looked.setViewportSize({ width: 360, height: 640 });
      await looked.waitForTimeout(100);
      expect(await looked.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360);
      await looked.close();
      await ideas[name](await opened(), opened);
      await context.close();
    },
    modules,
  );
  expect(wrongs).toEqual([]);
  const types = isAlone
    ? ['@angular/compiler-cli/bundles/src/bin/ngc.js', '-p', 'tsconfig.app.json']
    : ['typescript/bin/tsc'];
  execFileSync(process.execPath, [join(modules, 'node_modules', types[0]), ...types.slice(1), '--noEmit'], {
    cwd: folder,
  });
  const vite = join(modules, 'node_modules/vite/bin/vite.js');
  const env = { ...process.env, NODE_OPTIONS: '', NODE_ENV: 'production' };
  execFileSync(process.execPath, [vite, 'build', '--outDir', join(out, name), '--emptyOutDir', '--logLevel', 'warn'], {
    cwd: folder,
    env,
  });
});
