// The tutorial: each lesson's files written as its text says, its types checked, and its list of clicks done in Chromium, in the
// development server and without a word on the console.
import { expect, test } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { mkdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Locator, Page } from 'playwright-core';
import { finished, lessons } from '../../scripts/lessons.mjs';
import { longMode } from '../support/runs.js';
import { applications, served } from '../support/vite.js';

const root = process.cwd();
const { newPage, write } = applications('tutorial');

/** Does what a line of a lesson says: "Click **Plan a visit**: the page says **Expected: 1**." */
async function done(page: Page, app: string, line: string): Promise<void> {
  const [first, second] = Array.from(line.matchAll(/\*\*([^*]+)\*\*/g), ([, text]) => text);
  const says = (text: string): Promise<void> => page.locator('#root').getByText(text).first().waitFor();
  const inspector = page.frameLocator('iframe[title=Inspector]');
  if (line.startsWith('The page says')) return says(first);
  if (line.startsWith('The inspector says'))
    return inspector.locator('.say').filter({ hasText: first }).first().waitFor();
  if (line.startsWith('Type')) return page.getByLabel(second).fill(first);
  if (line.startsWith('Reload') || line.startsWith('Go back')) {
    await (line.startsWith('Reload') ? page.reload() : page.goBack());
    return says(first);
  }
  const named = (role: 'button' | 'link'): Locator =>
    (line.includes('in the inspector') ? inspector : page).getByRole(role, { name: first, exact: true });
  const click = (): Promise<void> => named('button').or(named('link')).click();
  if (line.includes(': it saves')) {
    const [download] = await Promise.all([page.waitForEvent('download'), click()]);
    expect(download.suggestedFilename()).toBe(second);
    // A browser that suites share keeps its files to itself.
    return writeFileSync(join(app, second), Buffer.concat(await (await download.createReadStream()).toArray()));
  }
  await click();
  if (line.includes('the address says')) await page.waitForURL((url) => url.pathname + url.search === second);
  else if (second !== undefined) await says(second);
}

/** Runs a command of a lesson. */
function run(app: string, command: string): void {
  const own = { 'npx floe': ['dist/cli/bin.js'], 'npm test': [...jestOptions, 'node_modules/jest/bin/jest.js'] };
  const [begin, args] = Object.entries(own).find(([begin]) => command.startsWith(begin))!;
  const more = command.slice(begin.length).trim().split(' ').filter(Boolean);
  execFileSync(process.execPath, [...args.map((arg) => (arg.startsWith('-') ? arg : join(root, arg))), ...more], {
    cwd: app,
    stdio: 'pipe',
    env: { ...process.env, NODE_OPTIONS: '' },
  });
}
const jestOptions = ['--experimental-vm-modules', '--no-warnings'];

// Each stands on the one before.
test.each(longMode ? lessons.map((_, i) => i + 1) : [1, lessons.length])('lesson %i', async (number) => {
  const app = write(String(number), [...finished(number), ['package.json', '{ "name": "harbour", "type": "module" }']]);
  // The one package that only an example has.
  mkdirSync(join(app, 'node_modules', '@vitejs'), { recursive: true });
  symlinkSync(
    join(root, 'examples/harbour/node_modules/@vitejs/plugin-react'),
    join(app, 'node_modules/@vitejs/plugin-react'),
  );
  execFileSync(process.execPath, [join(root, 'node_modules/typescript/bin/tsc')], { cwd: app, stdio: 'pipe' });
  const { checks, commands, files } = lessons[number - 1];
  if (files.some(({ path }) => path.includes('.test.'))) run(app, 'npm test');
  expect(checks.length).toBeGreaterThan(3);
  await served(app, async (address) => {
    const page = await newPage();
    const wrongs: string[] = [];
    page.on('dialog', (dialog) => dialog.accept());
    page.on('pageerror', (error) => wrongs.push(error.message));
    page.on('console', (message) => ['error', 'warning'].includes(message.type()) && wrongs.push(message.text()));
    await page.goto(address);
    for (const line of checks)
      await done(page, app, line).catch((cause: unknown) => {
        throw new Error(`"${line}": ${(cause as Error).message}`, { cause });
      });
    expect(wrongs).toEqual([]);
    await page.close();
  });
  for (const command of commands) run(app, command);
});
