// Storms: tabs of a real browser that act, flush, reload, close and crash at random, on IndexedDB and on localStorage. They
// end in one state, and no change that `flush()` acknowledged is missing. `FLOE_STORM` says how many seconds each takes; from 60 on there are two of each.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { bundledPage, contextWith, launch } from '../support/page.js';
import type { Tab } from './pages/tabs-page.js';

declare const tab: Tab;

const SECONDS = Number(process.env.FLOE_STORM ?? 8);
const ROUNDS = SECONDS < 60 ? 1 : 2;

let browser: Browser;
let code: string;
beforeAll(async () => {
  [browser, code] = await Promise.all([launch(), bundledPage('tests/browser/pages/tabs-page.ts', 'production')]);
});
afterAll(() => browser.close());

const ORIGIN = 'http://storm.localhost';
const newContext = () => contextWith(browser, ORIGIN, code);
const ready = (page: Page) => page.waitForFunction(() => 'tab' in globalThis);

async function open(context: BrowserContext, kind: string): Promise<Page> {
  const page = await context.newPage();
  await page.goto(`${ORIGIN}/#${kind}`);
  await ready(page);
  return page;
}

/** What one of the three does until the time is over. */
class Sailor {
  page!: Page;
  /** Noted since the page began, and not acknowledged yet. */
  private open: string[] = [];
  readonly acknowledged: string[] = [];
  readonly log: string[] = [];

  constructor(
    private readonly name: string,
    private readonly context: BrowserContext,
    private readonly kind: string,
    private readonly random: (below: number) => number,
    private readonly nextNote: () => string,
  ) {}

  async begin(): Promise<void> {
    this.page = await open(this.context, this.kind);
    this.open = [];
  }

  async sail(until: number): Promise<void> {
    while (Date.now() < until) {
      const dice = this.random(100);
      const what = dice < 55 ? 'act' : dice < 80 ? 'flush' : dice < 88 ? 'reload' : dice < 94 ? 'close' : 'crash';
      this.log.push(`${this.name} ${what}`);
      try {
        await this[what]();
      } catch {
        // The page went down with another one that shared its process.
        await this.page.close().catch(() => undefined);
        await this.begin();
      }
      if (this.random(3) === 0) await new Promise((resolve) => setTimeout(resolve, this.random(30)));
    }
  }

  private async act(): Promise<void> {
    const notes = Array.from({ length: 1 + this.random(4) }, this.nextNote);
    // It may have been done though no answer comes.
    this.open.push(...notes);
    await this.page.evaluate(([all, inLate]) => tab.act(all, inLate), [notes, this.random(3) === 0] as const);
  }
  private async flush(): Promise<void> {
    const before = this.open.length;
    if (await this.page.evaluate(() => tab.flush())) this.acknowledged.push(...this.open.splice(0, before));
  }
  private async reload(): Promise<void> {
    this.open = [];
    await this.page.reload();
    await ready(this.page);
  }
  private async close(): Promise<void> {
    await this.page.close({ runBeforeUnload: this.random(2) === 0 });
    await this.begin();
  }
  private async crash(): Promise<void> {
    await this.page.goto('chrome://crash', { timeout: 2000 }).catch(() => undefined);
    await this.page.close().catch(() => undefined);
    await this.begin();
  }
}

describe.each(['local', 'indexed'])('three tabs on %s storage', (kind) => {
  test.each(Array.from({ length: ROUNDS }, (_, i) => i + 1))(
    'end in one state, with everything that was acknowledged, once; storm %i',
    async () => {
      const seed = Number(process.env.FLOE_SEED ?? Date.now() % 1e9);
      const generator = fc.sample(fc.infiniteStream(fc.nat(1e6)), { numRuns: 1, seed })[0];
      const random = (below: number): number => generator.next().value % below;
      const context = await newContext();
      let notes = 0;
      const sailors = [0, 1, 2].map((i) => new Sailor(`${i}`, context, kind, random, () => `n${++notes}`));
      await Promise.all(sailors.map((sailor) => sailor.begin()));
      const until = Date.now() + SECONDS * 1000;
      await Promise.all(sailors.map((sailor) => sailor.sail(until)));
      // All of them have both stores, and come to rest.
      const states = async () => {
        const all = [];
        for (const { page } of sailors) all.push(await page.evaluate(() => tab.state()));
        return all;
      };
      for (const { page } of sailors) {
        await page.evaluate(() => tab.ready());
        await page.evaluate(() => tab.join());
      }
      for (const { page } of sailors) expect(await page.evaluate(() => tab.flush())).toBe(true);
      let all = await states();
      for (let i = 0; i < 100 && all.some((one) => JSON.stringify(one) !== JSON.stringify(all[0])); i++) {
        await new Promise((resolve) => setTimeout(resolve, 50));
        all = await states();
      }
      const where = `seed ${seed}: ${sailors.flatMap(({ log }) => log.slice(-12)).join(', ')}`;
      for (const one of all) expect([one, where]).toEqual([all[0], where]);
      for (const { count, notes: found } of Object.values(all[0]))
        expect([count, new Set(found).size, where]).toEqual([found.length, found.length, where]);
      const found = new Set(Object.values(all[0]).flatMap((one) => one.notes));
      const acknowledged = sailors.flatMap((sailor) => sailor.acknowledged);
      expect([acknowledged.filter((note) => !found.has(note)), where]).toEqual([[], where]);
      expect(acknowledged.length).toBeGreaterThan(0);
      // A new session finds the same.
      for (const { page } of sailors) await page.close({ runBeforeUnload: true });
      const last = await open(context, kind);
      await last.evaluate(() => tab.ready());
      await last.evaluate(() => tab.join());
      await last.evaluate(() => tab.ready());
      expect([await last.evaluate(() => tab.state()), where]).toEqual([all[0], where]);
      await context.close();
    },
    SECONDS * 1000 + 60_000,
  );
});

describe.each(['local', 'indexed'])('two tabs that share nothing but %s storage', (kind) => {
  test('keep both fields that they change at the same moment, and say so', async () => {
    const context = await newContext();
    const pages = [await open(context, `${kind}-alone`), await open(context, `${kind}-alone`)] as const;
    for (const page of pages) await page.evaluate(() => tab.ready());
    const TIMES = 10;
    for (let i = 0; i < TIMES; i++) {
      const time = Date.now() + 60;
      const flushed = await Promise.all([
        pages[0].evaluate((at) => tab.countAt(at, 'north'), time),
        pages[1].evaluate((at) => tab.countAt(at, 'south'), time),
      ]);
      expect(flushed).toEqual([true, true]);
      // Browsers bring the views of localStorage together a moment later.
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    for (const page of pages) expect(await page.evaluate(() => tab.flush())).toBe(true);
    const last = await open(context, `${kind}-alone`);
    await last.evaluate(() => tab.ready());
    expect(await last.evaluate(() => tab.pilots())).toEqual({ north: TIMES, south: TIMES });
    const problems = (await Promise.all(pages.map((page) => page.evaluate(() => tab.problems())))).flat();
    expect(problems.filter((one) => !one.includes('both are kept'))).toEqual([]);
    expect(problems.length).toBeGreaterThan(0);
    await context.close();
  });
});
