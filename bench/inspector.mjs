// The rows about the inspector, measured in Chromium: on long recordings, and beside a busy page.
import { gzipSync } from 'node:zlib';
import { readFileSync } from 'node:fs';
import { withPage } from './react.mjs';

/** Calls one of the functions of the page about the inspector, and gives what it measured. */
export const inInspector = (name, ...args) =>
  withPage('inspector-page.ts', async (page, code) => {
    await page.setViewportSize({ width: 1280, height: 800 });
    await page.addScriptTag({ content: code, type: 'module' });
    await page.waitForFunction(() => 'bench' in globalThis);
    return page.evaluate(([what, given]) => globalThis.bench[what](...given), [name, args]);
  });

const STEPS = 100_000;
const toNs = ({ floe, peer }) => ({ floe: floe * 1e6, peer: peer * 1e6 });

export const rows = [
  {
    work: 'an inspected dispatch',
    against: 'a dispatch with the trace alone',
    most: 2,
    run: () => inInspector('dispatching', 41, 1000),
  },
  {
    work: 'frames (95 %) while jumping along 100,000 steps of a file, with a state of 10,000 rows',
    against: 'those of an empty page with the same control',
    most: 1.3,
    run: async () => toNs(await inInspector('movingInFile', STEPS, 200)),
  },
  {
    work: 'frames (95 %) while jumping along 100,000 steps, docked, with a state of 10,000 rows',
    against: 'those of an empty page with the same control',
    most: 1.3,
    run: async () => toNs(await inInspector('movingDocked', STEPS, 200)),
  },
  {
    work: 'frames (mean) of a page of 10,000 rows in bursts of 1,000 actions, inspected',
    against: 'those of the page alone',
    most: 1.3,
    run: async () => toNs(await inInspector('burst', 10_000, 1000)),
  },
];

/** Seconds that each way of a busy page is looked at, and how often. */
const BUSY_FOR = 4;
const BUSY_ROUNDS = 5;

/**
 * The share of the main thread of a page with 50 dispatches a second, recorded, in percent: without an inspector, folded, and open;
 * medians of interleaved rounds (Chrome DevTools Protocol, Performance.getMetrics: the time of all tasks).
 */
export const inspectorBusy = () =>
  withPage('inspector-page.ts', async (page, code) => {
    await page.setViewportSize({ width: 1280, height: 800 });
    await page.addScriptTag({ content: code, type: 'module' });
    await page.waitForFunction(() => 'bench' in globalThis);
    const protocol = await page.context().newCDPSession(page);
    await protocol.send('Performance.enable');
    const inTasks = async () =>
      (await protocol.send('Performance.getMetrics')).metrics.find(({ name }) => name === 'TaskDuration').value;
    const shares = { nothing: [], folded: [], open: [] };
    for (let round = -1; round < BUSY_ROUNDS; round++)
      for (const shows of Object.keys(shares)) {
        await page.evaluate((shows) => globalThis.bench.busy(shows), shows);
        await page.waitForTimeout(1000);
        const [tasks, began] = [await inTasks(), performance.now()];
        await page.waitForTimeout(BUSY_FOR * 1000);
        const share = ((await inTasks()) - tasks) / ((performance.now() - began) / 1000);
        if (round >= 0) shares[shows].push(100 * share);
        await page.evaluate(() => globalThis.bench.endBusy());
        await page.waitForTimeout(200);
      }
    const median = (values) => values.toSorted((a, b) => a - b)[values.length >> 1];
    return Object.fromEntries(Object.entries(shares).map(([shows, values]) => [shows, median(values)]));
  });

/** The size of the page that `floe inspect` serves: all of the inspector's code, gzipped, in bytes. */
export const inspectorSize = () =>
  gzipSync(readFileSync(new URL('../dist/inspector/page/inspector.js', import.meta.url)), { level: 9 }).length;

const [, script, name] = process.argv;
if (script?.endsWith('inspector.mjs') && name) {
  const results = {
    opening: () => inInspector('opening', STEPS),
    burst: () => inInspector('burst', 10_000, 1000),
    heap: () => inInspector('heap', STEPS),
    dropped: () => inInspector('dropped', 200_000),
    busy: inspectorBusy,
    soak: () => inInspector('soak', 240),
  };
  process.stdout.write(JSON.stringify(await results[name]()));
}
