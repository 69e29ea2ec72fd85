// Programs of the simulator in tabs of a real browser, on IndexedDB and on localStorage: there the order of deliveries is
// Chromium's. At rest all tabs are equal, and nothing that `flush()` acknowledged is missing. In the long mode only: `FLOE_RUNS` says how many.
import { afterAll, beforeAll, expect } from '@jest/globals';
import fc from 'fast-check';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import type { Simulated } from '../../simulator/chromium-page.js';
import { someScenario, type Scenario } from '../../simulator/program.js';
import { bundledPage, contextWith, launch } from '../support/page.js';
import { inLongMode } from '../support/in-long-mode.js';
import { longMode, runs } from '../support/runs.js';

declare const simulated: Simulated;

const ORIGIN = 'http://simulated.localhost';
const TABS = 3;

let browser: Browser;
let code: string;
beforeAll(async () => {
  if (!longMode) return;
  [browser, code] = await Promise.all([launch(), bundledPage('simulator/chromium-page.ts', 'production')]);
});
afterAll(() => browser.close());

/** The tabs of one scenario, and what they acknowledged. */
class Harbour {
  readonly acknowledged = new Set<string>();
  readonly pages: Page[] = [];
  private opened = 0;

  constructor(
    private readonly context: BrowserContext,
    private readonly scenario: Scenario,
  ) {}

  async open(at = this.pages.length): Promise<void> {
    const page = await this.context.newPage();
    await page.goto(`${ORIGIN}/#t${++this.opened}`);
    await page.waitForFunction(() => 'simulated' in globalThis);
    await page.evaluate((blueprint) => simulated.begin(blueprint), this.scenario.blueprint as never);
    this.pages[at] = page;
  }

  /** An operation of the program: on what a tab does, on the tab itself, or nothing where only a simulated world has it. */
  async perform(operation: Scenario['program'][number]): Promise<void> {
    const at = operation.s % TABS;
    const page = this.pages[at];
    if (operation.do === 'flush')
      for (const note of await page.evaluate(() => simulated.flush())) this.acknowledged.add(note);
    else if (operation.do === 'crash' || operation.do === 'close') {
      if (operation.do === 'crash') await page.goto('chrome://crash', { timeout: 2000 }).catch(() => undefined);
      await page.close({ runBeforeUnload: operation.x % 2 === 0 }).catch(() => undefined);
      await this.open(at);
    } else await page.evaluate((one) => simulated.perform(one), operation as never);
  }
}

const scenarios = fc.sample(
  someScenario(['tabs'], 20).map((scenario) => ({ ...scenario, blueprint: { ...scenario.blueprint, gentle: true } })),
  { numRuns: longMode ? Math.min(runs(36), 1000) : 6, seed: longMode ? Date.now() % 1e9 : 20_261_130 },
);

inLongMode.each(scenarios.map((scenario, i): [number, Scenario] => [i + 1, scenario]))(
  'program %i: all tabs are equal at rest, and hold what was acknowledged',
  async (_number, scenario) => {
    const context = await contextWith(browser, ORIGIN, code);
    const harbour = new Harbour(context, scenario);
    const { pages, acknowledged } = harbour;
    for (let i = 0; i < TABS; i++) await harbour.open();
    for (const operation of scenario.program) {
      try {
        await harbour.perform(operation);
      } catch (error) {
        // Pages of one process go down together.
        if (!/closed|crashed|detached/i.test(String(error))) throw error;
        for (const [at, page] of pages.entries())
          if (!(await page.evaluate(() => true).catch(() => false))) await harbour.open(at);
      }
    }
    const shown = () => Promise.all(pages.map((page) => page.evaluate(() => simulated.shown())));
    const where = JSON.stringify(scenario);
    for (const page of pages) expect([await page.evaluate(() => simulated.rest()), where]).toEqual([true, where]);
    let all = await shown();
    for (let i = 0; i < 200 && all.some(({ text }) => text !== all[0].text); i++) {
      await new Promise((resolve) => setTimeout(resolve, 50));
      all = await shown();
    }
    for (const { text } of all) expect([text, where]).toEqual([all[0].text, where]);
    expect([[...acknowledged].filter((note) => !all[0].notes.includes(note)), where]).toEqual([[], where]);
    // A new session begins with the same.
    for (const page of pages) await page.close({ runBeforeUnload: true });
    await harbour.open(0);
    await pages[0].evaluate(() => simulated.rest());
    expect([(await pages[0].evaluate(() => simulated.shown())).text, where]).toEqual([all[0].text, where]);
    await context.close();
  },
);
