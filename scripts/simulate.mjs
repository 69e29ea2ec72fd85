// `npm run simulate -- --seconds 600 --seed 7 --with tabs,undo`: plays seeded programs in the simulator, in one thread a
// processor. Each seed stands for a hundred programs; what is found is named by its seed. Options: see CONTRIBUTING.md.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { clearInterval, setInterval } from 'node:timers';
import { parseArgs } from 'node:util';
import { Worker } from 'node:worker_threads';
import { root, tell } from './run.mjs';
import { setUp } from './setup.mjs';

setUp();
const { values } = parseArgs({
  options: {
    seconds: { type: 'string' },
    programs: { type: 'string' },
    seed: { type: 'string', default: String(Math.floor(Math.random() * 1e9)) },
    with: { type: 'string', default: '' },
    most: { type: 'string', default: '40' },
    threads: { type: 'string', default: String(availableParallelism()) },
    source: { type: 'string', default: join(root, 'src') },
    table: { type: 'boolean', default: false },
    all: { type: 'boolean', default: false },
    besides: { type: 'string' },
    replay: { type: 'string' },
  },
});
/** Programs of one seed, where a time is given. */
const CHUNK = 100;
const seconds =
  values.seconds === undefined ? (values.programs === undefined ? 60 : undefined) : Number(values.seconds);
const only = values.with.split(',').filter(Boolean);
const out = join(root, 'node_modules', '.cache', 'simulator');
const last = join(out, 'last.json');
mkdirSync(out, { recursive: true });

const { build } = await import('esbuild');
const entries = {
  floe: 'core',
  'floe/entities': 'entities',
  'floe/location': 'location',
  'floe/persist': 'persist',
  'floe/testing': 'testing',
  'floe/trace': 'trace',
};
const source = resolve(values.source);
const bundle = async (mode) => {
  const outfile = join(out, `${mode}-${process.pid}.mjs`);
  await build({
    entryPoints: [join(root, 'simulator', 'main.ts')],
    ...{ outfile, bundle: true, format: 'esm', platform: 'node', target: 'es2022' },
    ...{ sourcemap: 'inline', logLevel: 'error' },
    alias: Object.fromEntries(
      Object.entries(entries).map(([name, folder]) => [name, join(source, folder, 'index.ts')]),
    ),
    define: { 'process.env.NODE_ENV': JSON.stringify(mode) },
    external: ['fast-check', 'expect'],
  });
  return outfile;
};
const bundles = { production: await bundle('production'), development: await bundle('development') };

if (values.replay !== undefined) {
  const file = readFileSync(values.replay === 'last' ? last : resolve(values.replay), 'utf8');
  const { library: production } = await import(pathToFileURL(bundles.production).href);
  const { library, played } = await import(pathToFileURL(bundles.development).href);
  try {
    await played(JSON.parse(file), { development: library, production });
  } catch (error) {
    for (const [id, lines] of (error.steps ?? []).entries())
      process.stdout.write(`Session ${id}:\n${lines.map((line) => `  ${line}\n`).join('')}`);
    process.stdout.write(`${error.stack}\n`);
    process.exit(1);
  }
  process.stdout.write('It does not fail.\n');
  process.exit(0);
}

const settings = {
  only,
  ...{ most: Number(values.most), besides: values.besides },
  programs: values.programs === undefined ? CHUNK : Number(values.programs),
};
tell(`Simulating with seed ${values.seed} ...`);
const { SpanTable, tableOf } = await import(pathToFileURL(bundles.development).href);
const spans = new SpanTable();
const began = performance.now();
const took = () => (performance.now() - began) / 1000;
const sums = { programs: 0, operations: 0, failed: 0 };
const failing = [];
const known = new Set();
let seed = Number(values.seed);

/** Notes what one seed came to. Returns whether to go on. */
function note({ programs, operations, found, counts }) {
  sums.programs += programs;
  sums.operations += operations;
  spans.add(counts);
  if (!found) return true;
  // One fault is found again and again, with other numbers.
  const kind = found.message.split('\n')[0].replaceAll(/\d+/g, '#').slice(0, 60);
  if (known.has(kind)) return values.all;
  known.add(kind);
  sums.failed++;
  failing.push(found.seed);
  writeFileSync(last, JSON.stringify(found.given));
  writeFileSync(join(out, `found-${found.seed}.json`), JSON.stringify(found.given));
  const where = `after ${found.after} programs, seed ${found.seed}`;
  process.stdout.write(`\nFOUND ${where}\n${found.message}\n${found.source}\n`);
  return values.all;
}

/** Hands one seed after the other to a thread until the time is over. */
const thread = () =>
  new Promise((end, fail) => {
    const worker = new Worker(new URL('simulate-worker.mjs', import.meta.url), { workerData: { bundles, settings } });
    const next = () => {
      const left = seconds === undefined ? undefined : seconds - took();
      if (isOver || (left !== undefined && left <= 0) || (seconds === undefined && seed > Number(values.seed)))
        return void worker.terminate().then(end);
      worker.postMessage({ seed: seed++, seconds: left });
    };
    worker.on('error', fail);
    worker.on('message', (result) => {
      if (!note(result)) isOver = true;
      next();
    });
    next();
  });

let isOver = false;
const timer = setInterval(() => tell(`${sums.programs} programs in ${took().toFixed(0)} s`), 10_000);
await Promise.all(Array.from({ length: seconds === undefined ? 1 : Number(values.threads) }, thread));
clearInterval(timer);
const { lines, zeros } = tableOf(spans);
if (values.table || seconds >= 300) process.stdout.write(`${lines.join('\n')}\n`);
if (zeros.length > 0 && sums.failed === 0) tell(`Never tried: ${zeros.join(', ')}`);
const speed = (sums.programs / took()).toFixed(1);
process.stdout.write(`${sums.programs} programs, ${sums.operations} operations, ${speed} programs a second\n`);
// A find stands far up by now.
if (sums.failed > 0) process.stdout.write(`${sums.failed} FOUND, by the seeds ${failing.join(', ')}\n`);
process.exit(sums.failed > 0 ? 1 : 0);
