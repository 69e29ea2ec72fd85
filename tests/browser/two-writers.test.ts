// Two pages of a real browser that write to one storage, and share nothing else. `simulator.test.ts` has those that share more.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { bundledPage, contextWith, launch } from '../support/page.js';
import { longMode } from '../support/runs.js';
import type { Writer } from './pages/writer-page.js';

declare const writer: Writer;

let browser: Browser;
let code: string;
beforeAll(async () => {
  [browser, code] = await Promise.all([launch(), bundledPage('tests/browser/pages/writer-page.ts', 'production')]);
});
afterAll(() => browser.close());

const ORIGIN = 'http://writers.localhost';
const newContext = () => contextWith(browser, ORIGIN, code);
const ready = (page: Page) => page.waitForFunction(() => 'writer' in globalThis);

async function open(context: BrowserContext, kind: string): Promise<Page> {
  const page = await context.newPage();
  await page.goto(`${ORIGIN}/#${kind}`);
  await ready(page);
  return page;
}

describe.each(longMode ? ['local', 'indexed'] : ['indexed'])('two tabs that share nothing but %s storage', (kind) => {
  test('keep both fields that they change at the same moment, and say so', async () => {
    const context = await newContext();
    const pages = [await open(context, kind), await open(context, kind)] as const;
    for (const page of pages) await page.evaluate(() => writer.ready());
    const TIMES = 10;
    for (let i = 0; i < TIMES; i++) {
      const time = Date.now() + 60;
      const flushed = await Promise.all([
        pages[0].evaluate((at) => writer.countAt(at, 'north'), time),
        pages[1].evaluate((at) => writer.countAt(at, 'south'), time),
      ]);
      expect(flushed).toEqual([true, true]);
      // Browsers bring the views of localStorage together a moment later.
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    for (const page of pages) expect(await page.evaluate(() => writer.flush())).toBe(true);
    const last = await open(context, kind);
    await last.evaluate(() => writer.ready());
    expect(await last.evaluate(() => writer.pilots())).toEqual({ north: TIMES, south: TIMES });
    const problems = (await Promise.all(pages.map((page) => page.evaluate(() => writer.problems())))).flat();
    expect(problems.filter((one) => !one.includes('both are kept'))).toEqual([]);
    expect(problems.length).toBeGreaterThan(0);
    await context.close();
  });
});
