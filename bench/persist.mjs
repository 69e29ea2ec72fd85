// The rows about persistence.
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createRuntime } from '../dist/core/index.js';
import { fileStorage } from '../dist/persist/node/index.js';
import { declare, manyVisits } from './persist-state.mjs';
import { measure } from './run.mjs';

function fromFile() {
  const folder = mkdtempSync(join(tmpdir(), 'floe-bench-'));
  try {
    const { visits, arrived } = declare();
    const first = createRuntime({ stores: [visits], storage: fileStorage({ folder, writeAfter: 0 }) });
    first.dispatch(arrived(manyVisits()));
    first.close();
    const text = readFileSync(join(folder, 'visits.jsonl'), 'utf8');
    let [read, parsed] = [];
    const took = measure(
      {
        floe: () => {
          const runtime = createRuntime({ stores: [visits], storage: fileStorage({ folder }) });
          read = runtime.read(visits).list;
          runtime.close();
        },
        peer: () => (parsed = JSON.parse(text).state.list),
      },
      { calls: 1, rounds: 21 },
    );
    if (read.length !== parsed.length) throw new Error('rows were lost');
    return took;
  } finally {
    rmSync(folder, { recursive: true });
  }
}

/** The same in Chromium: the page measures, and takes turns as `measure` does. */
async function fromIndexedDb() {
  // Only here: every row is in a process of its own, and no other one needs them.
  const { build } = await import('vite');
  const { chromium } = await import('playwright-core');
  const { findChromium, launchOptions } = await import('../scripts/chromium.mjs');
  const [{ output }] = await build({
    configFile: false,
    logLevel: 'silent',
    define: { 'process.env.NODE_ENV': '"production"' },
    build: { write: false, lib: { entry: new URL('persist-page.mjs', import.meta.url).pathname, formats: ['es'] } },
  });
  const options = launchOptions(findChromium());
  const browser = await chromium.launch({ ...options, args: [...options.args, '--js-flags=--expose-gc'] });
  try {
    const page = await browser.newPage();
    // A page with an origin of its own; nothing is asked for outside.
    await page.route('http://bench.localhost/**', (route) =>
      route.request().url().endsWith('.js')
        ? route.fulfill({ contentType: 'text/javascript', body: output[0].code })
        : route.fulfill({ contentType: 'text/html', body: '<!doctype html>' }),
    );
    await page.goto('http://bench.localhost/');
    const took = await page.evaluate(async () => (await import('/bench.js')).rehydrate());
    return { floe: took.floe * 1e6, peer: took.peer * 1e6 };
  } finally {
    await browser.close();
  }
}

export const rows = [
  { work: 'rehydrating 10 MB from a file', against: '`JSON.parse` of the same text', most: 2, run: fromFile },
  {
    work: 'rehydrating 10 MB from IndexedDB, in Chromium',
    against: '`JSON.parse` of the same text there',
    most: 2,
    run: fromIndexedDb,
  },
];
