// The built harbour example behind its office, and a Chromium to open it in; for the tests of one file.
import { afterAll, afterEach, beforeAll, beforeEach } from '@jest/globals';
import { join } from 'node:path';
import type { Browser, BrowserContext, Page } from 'playwright-core';
import { launch } from './page.js';

interface Office {
  readonly address: string;
  close(): Promise<void>;
}

/** @param each whether every test has an office of its own, whose visits are as at first */
export function harbourPage({ each = false } = {}) {
  const built = join(process.cwd(), 'examples/harbour/dist');
  let office: Office | undefined;
  let browser: Browser | undefined;
  const start = async (): Promise<void> => {
    const { startOffice } = (await import(join(built, 'office/server.js'))) as {
      startOffice(options: object): Promise<Office>;
    };
    office = await startOffice({ port: 0, page: join(built, 'page'), thinking: 50 });
  };
  beforeAll(async () => {
    browser = await launch();
    if (!each) await start();
  });
  if (each) {
    beforeEach(start);
    afterEach(async () => {
      await Promise.all(browser!.contexts().map((context) => context.close()));
      await office?.close();
      office = undefined;
    });
  }
  afterAll(async () => {
    await browser?.close();
    await office?.close();
  });
  /** A new user: nothing is stored. */
  const newContext = (): Promise<BrowserContext> => browser!.newContext({ viewport: { width: 1280, height: 800 } });
  /** A page of the control room with the visits of the day. */
  const open = async (path = '/', context?: BrowserContext): Promise<Page> => {
    const page = await (context ?? (await newContext())).newPage();
    await page.goto(office!.address + path);
    await page.locator('tr.row').first().waitFor();
    return page;
  };
  return { built, newContext, open };
}
