// The rows about React, measured in Chromium against what one would write by hand (`react-peers.tsx`).
import { fileURLToPath } from 'node:url';

/** Opens the page, calls one of its functions, and gives what it measured. */
async function inPage(name, ...args) {
  // Only here: every row is in a process of its own, and no other one needs them.
  const { bundlePage } = await import('../scripts/bundle-page.mjs');
  const { chromium } = await import('playwright-core');
  const { findChromium, launchOptions } = await import('../scripts/chromium.mjs');
  const code = await bundlePage(fileURLToPath(new URL('react-page.tsx', import.meta.url)));
  const options = launchOptions(findChromium());
  const browser = await chromium.launch({ ...options, args: [...options.args, '--js-flags=--expose-gc'] });
  try {
    const page = await browser.newPage();
    await page.route('http://bench.localhost/**', (route) =>
      route.request().url().endsWith('.js')
        ? route.fulfill({ contentType: 'text/javascript', body: code })
        : route.fulfill({
            contentType: 'text/html',
            // Alone in its process, a page has a clock of five microseconds instead of a hundred.
            headers: { 'Cross-Origin-Opener-Policy': 'same-origin', 'Cross-Origin-Embedder-Policy': 'require-corp' },
            body: '<!doctype html><body></body><script type="module" src="/bench.js"></script>',
          }),
    );
    await page.goto('http://bench.localhost/');
    await page.waitForFunction(() => 'bench' in globalThis);
    return await page.evaluate(([what, given]) => globalThis.bench[what](...given), [name, args]);
  } finally {
    await browser.close();
  }
}

const byHand = 'a hook a row on a keyed store by hand';
export const rows = [
  { work: 'mounting 10,000 rows in React', against: byHand, most: 1.6, run: () => inPage('mounting', 10_000) },
  {
    work: 'a dispatch that changes one of 10,000 mounted rows by key',
    against: byHand,
    most: 3,
    run: () => inPage('changing', 10_000, 'table'),
  },
  {
    work: 'a dispatch that changes one of 10,000 mounted rows of a list',
    against: byHand,
    most: 3,
    run: () => inPage('changing', 10_000, 'list'),
  },
  {
    work: 'one step back or forward with 1,000 mounted rows, rendering included',
    against: 'putting the row of before back by hand',
    most: 1.8,
    run: () => inPage('travelling', 1000),
  },
  {
    work: 'starting with 0.93 MB in localStorage',
    against: '`JSON.parse` of the same state from localStorage',
    most: 2.5,
    run: () => inPage('starting', 20_000),
  },
];
