// A page whose script is bundled for a test, opened in Chromium.
import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core';
import { findChromium, launchOptions } from '../../scripts/chromium.mjs';

/** The bundled code of a page's script, made by a process of its own: Vite does not run inside Jest. */
export async function bundledPage(entry: string, mode: 'development' | 'production'): Promise<string> {
  const { stdout } = await promisify(execFile)(process.execPath, ['scripts/bundle-page.mjs', entry, mode], {
    cwd: process.cwd(),
    env: { ...process.env, NODE_ENV: mode, NODE_OPTIONS: '' },
    maxBuffer: 1 << 26,
  });
  return stdout;
}

/** A browser of this suite: `npm test` starts one for all, whose contexts end with the suite. */
export const launch = (): Promise<Browser> => {
  const { FLOE_BROWSER: shared } = process.env;
  return shared ? chromium.connect(shared) : chromium.launch(launchOptions(findChromium()!));
};

/** A browser with an empty page of that script at every address of an origin. */
export async function contextWith(browser: Browser, origin: string, code: string): Promise<BrowserContext> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  await context.route(`${origin}/**`, (route) =>
    route.request().url().endsWith('.js')
      ? route.fulfill({ contentType: 'text/javascript', body: code })
      : route.fulfill({
          contentType: 'text/html',
          body: '<!doctype html><link rel="icon" href="data:,"><body></body><script type="module" src="/page.js"></script>',
        }),
  );
  return context;
}

/** An empty page with that script, and an origin of its own. */
export async function openPage(browser: Browser, code: string): Promise<Page> {
  const context = await contextWith(browser, 'http://page.localhost', code);
  const page = await context.newPage();
  await page.goto('http://page.localhost/');
  await page.waitForFunction(() => 'scenarios' in globalThis);
  return page;
}
