// The rows about React, measured in Chromium against what one would write by hand (`react-peers.tsx`).
import { fileURLToPath } from 'node:url';

/** Does something with a page that has an origin of its own, and the code of a bundled script. */
export async function withPage(script, work) {
  // Only here: every row is in a process of its own, and no other one needs them.
  const { bundlePage } = await import('../scripts/bundle-page.mjs');
  const { chromium } = await import('playwright-core');
  const { findChromium, launchOptions } = await import('../scripts/chromium.mjs');
  const code = await bundlePage(fileURLToPath(new URL(script, import.meta.url)));
  const options = launchOptions(findChromium());
  // Without the second, a page is told its heap in steps of megabytes.
  const more = ['--js-flags=--expose-gc', '--enable-precise-memory-info'];
  const browser = await chromium.launch({ ...options, args: [...options.args, ...more] });
  try {
    const page = await browser.newPage();
    await page.route('http://bench.localhost/**', (route) =>
      route.fulfill({
        contentType: 'text/html',
        // Alone in its process, a page has a clock of five microseconds instead of a hundred.
        headers: { 'Cross-Origin-Opener-Policy': 'same-origin', 'Cross-Origin-Embedder-Policy': 'require-corp' },
        body: '<!doctype html><body></body>',
      }),
    );
    await page.goto('http://bench.localhost/');
    return await work(page, code);
  } finally {
    await browser.close();
  }
}

/** Calls one of the functions of the page about React, and gives what it measured. */
const inPage = (name, ...args) =>
  withPage('react-page.tsx', async (page, code) => {
    await page.addScriptTag({ content: code, type: 'module' });
    await page.waitForFunction(() => 'bench' in globalThis);
    return page.evaluate(([what, given]) => globalThis.bench[what](...given), [name, args]);
  });

const median = (values) => values.sort((a, b) => a - b)[values.length >> 1];

/**
 * The page is reloaded for each measurement: the code is evaluated, and the state is there. What the modules do when they are
 * evaluated counts, and nothing is compiled yet.
 */
const starting = (n) =>
  withPage('start-page.ts', async (page, code) => {
    await page.evaluate((text) => new Function(text)(), code);
    await page.evaluate((count) => globalThis.keep(count), n);
    const byHand = "globalThis.start = () => JSON.parse(localStorage.getItem('by-hand')).all.length;";
    const times = { floe: [], peer: [] };
    for (let round = -2; round < 21; round++)
      for (const [name, text] of [
        ['floe', code],
        ['peer', byHand],
      ]) {
        await page.reload();
        const { took, length } = await page.evaluate((program) => {
          // Reading the text for the first time is the browser's work, for both.
          const { localStorage: kept } = globalThis;
          for (let i = 0; i < kept.length; i++) kept.getItem(kept.key(i));
          const began = performance.now();
          new Function(program)();
          const found = globalThis.start();
          return { took: performance.now() - began, length: found };
        }, text);
        if (length !== n) throw new Error('rows were lost');
        if (round >= 0) times[name].push(took);
      }
    return { floe: median(times.floe) * 1e6, peer: median(times.peer) * 1e6 };
  });

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
    run: () => starting(20_000),
  },
];
