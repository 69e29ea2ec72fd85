// A shift recorded in Chromium, looked into by the command line; and addresses in a real browser.
import { describe, expect, test } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import type { Runtime } from 'floe';
import { floe } from '../support/command.js';
import { harbourPage } from '../support/harbour-page.js';
import { button, inspector } from '../support/inspector-page.js';
import { inLongMode } from '../support/in-long-mode.js';

const { built, open } = harbourPage();
/** Goes back to the nearest earlier step that changed state, as `harbour.trace` on the console does. */
const back = (page: Page) =>
  page.evaluate(() => (globalThis as unknown as { harbour: { trace: { back(): void } } }).harbour.trace.back());
const pathOf = (page: Page): string => new URL(page.url()).pathname;

describe('the address', () => {
  inLongMode(
    'a visit has its own, which opens it; the browser goes back and forward; travel adds no entries',
    async () => {
      const page = await open();
      await page.locator('tr.row').nth(2).click();
      await page.waitForURL('**/visits/*');
      const third = pathOf(page);
      await page.locator('tr.row').nth(4).click();
      await page.waitForFunction((path) => location.pathname !== path, third);
      const fifth = pathOf(page);
      const entries = await page.evaluate(() => history.length);

      await page.goBack();
      expect(pathOf(page)).toBe(third);
      await page.locator('tr.row-picked').waitFor();
      await page.goForward();
      expect(pathOf(page)).toBe(fifth);

      await back(page);
      await back(page);
      await page.waitForFunction((path) => location.pathname === path, fifth);
      await back(page);
      await page.waitForFunction((path) => location.pathname === path, third);
      await button(inspector(page), 'Live').click();
      await page.waitForFunction((path) => location.pathname === path, fifth);
      expect(await page.evaluate(() => history.length)).toBe(entries);

      // A "back" that is refused destroys no entry, and what another library keeps in an entry stays there.
      await page.evaluate(() => history.replaceState({ ...(history.state as object), scroll: 7 }, ''));
      await page.evaluate(() => {
        const { harbour } = globalThis as unknown as { harbour: Runtime & { stay?: () => void } };
        harbour.stay = harbour.addInterceptor('stay', (sent, { proceed, stop }) =>
          sent.type === 'address.went' ? stop() : proceed(),
        );
        history.back();
      });
      await page.waitForFunction(
        ([path, all]) =>
          location.pathname === path && history.length === all && (history.state as { scroll?: number }).scroll === 7,
        [fifth, entries] as const,
      );
      await page.evaluate(() => (globalThis as unknown as { harbour: { stay(): void } }).harbour.stay());
      await page.goBack();
      await page.waitForFunction((path) => location.pathname === path, third);
      await page.goForward();
      expect(await page.evaluate(() => [location.pathname, (history.state as { scroll?: number }).scroll])).toEqual([
        fifth,
        7,
      ]);

      const other = await open(fifth);
      await other.locator('tr.row-picked').waitFor();
      expect(await other.locator('tr.row-picked').textContent()).toBe(
        await page.locator('tr.row-picked').textContent(),
      );
    },
  );
});

describe('a shift recorded in Chromium', () => {
  test('is replayed, and turned into a test that passes, by the command line', async () => {
    mkdirSync('reports', { recursive: true });
    // Inside the repository, so that the written test finds Floe and Jest as a user's does.
    const folder = mkdtempSync(join(process.cwd(), 'reports', 'recorded-'));
    try {
      const page = await open();
      await page.locator('tr.row').first().click();
      await page.getByText(/^Alongside \d+$/).click();
      await page.locator('tr.row').first().getByRole('button', { name: 'Let depart' }).click();
      await page.getByText(/^Departed \d+$/).click();
      await page.getByLabel('Log note for the next watch').fill('Shore power at N1 is out.');
      const text = await page.evaluate(() =>
        (globalThis as unknown as { harbour: { trace: { export(): string } } }).harbour.trace.export(),
      );
      const file = join(folder, 'shift.jsonl');
      writeFileSync(file, text);

      const replayed = await floe(['replay', file, '--model', join(built, 'src/model/index.js')]);
      expect([replayed.code, replayed.out]).toEqual([0, expect.stringContaining('As recorded')]);
      const { out } = await floe(['steps', file, '--json', '--type', 'visits.filterPicked', 'log.noteWritten']);
      const steps = out
        .trimEnd()
        .split('\n')
        .map((line) => JSON.parse(line) as { seq: number });
      const range = ['--from', String(steps[0].seq), '--to', String(steps.at(-1)!.seq)];

      writeFileSync(join(folder, 'package.json'), '{ "type": "module" }');
      writeFileSync(
        join(folder, 'model.js'),
        `export { stores } from ${JSON.stringify(join(built, 'src/model/index.js'))};\n`,
      );
      const target = join(folder, 'shift.test.js');
      const written = await floe(['write-test', file, '--model', './model.js', '--out', target, ...range]);
      expect([written.code, written.err]).toEqual([0, expect.stringContaining('run it with Jest')]);
      expect(readFileSync(target, 'utf8')).toContain("type: 'port.movedOn'");
      const { status, stderr } = spawnSync(
        process.execPath,
        [
          '--experimental-vm-modules',
          '--no-warnings',
          'node_modules/jest/bin/jest.js',
          '--rootDir',
          process.cwd(),
          '-c',
          '{"transform":{}}',
          '--runTestsByPath',
          target,
        ],
        { encoding: 'utf8' },
      );
      expect([status, stderr]).toEqual([0, expect.stringContaining('1 passed')]);
    } finally {
      rmSync(folder, { recursive: true });
    }
  });
});
