// `npm run simulate -- --seconds 600 --seed 7 --with tabs,undo`: plays seeded programs in the simulator. `--source` names the
// folder of another version's sources, for comparing; `--programs` a number of programs instead of a time.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { parseArgs } from 'node:util';
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
    source: { type: 'string', default: join(root, 'src') },
    table: { type: 'boolean', default: false },
    all: { type: 'boolean', default: false },
    besides: { type: 'string' },
    replay: { type: 'string' },
  },
});
const source = resolve(values.source);
const { build } = await import('esbuild');
const entries = {
  floe: 'core',
  'floe/entities': 'entities',
  'floe/persist': 'persist',
  'floe/testing': 'testing',
  'floe/trace': 'trace',
};
const out = join(root, 'node_modules', '.cache', 'simulator');
mkdirSync(out, { recursive: true });
const bundle = async (mode) => {
  const outfile = join(out, `${mode}-${process.pid}.mjs`);
  await build({
    entryPoints: [join(root, 'simulator', 'main.ts')],
    ...{
      outfile,
      bundle: true,
      format: 'esm',
      platform: 'node',
      target: 'es2022',
      sourcemap: 'inline',
      logLevel: 'error',
    },
    alias: Object.fromEntries(
      Object.entries(entries).map(([name, folder]) => [name, join(source, folder, 'index.ts')]),
    ),
    define: { 'process.env.NODE_ENV': JSON.stringify(mode) },
    external: ['fast-check', 'expect'],
  });
  return import(pathToFileURL(outfile).href);
};
process.env.NODE_ENV = 'production';
const production = await bundle('production');
process.env.NODE_ENV = 'development';
const development = await bundle('development');
const seconds =
  values.seconds === undefined ? (values.programs === undefined ? 60 : undefined) : Number(values.seconds);
const options = {
  development: development.library,
  production: production.library,
  ...(seconds !== undefined && { seconds }),
  ...(values.programs !== undefined && { programs: Number(values.programs) }),
  only: values.with.split(',').filter(Boolean),
  most: Number(values.most),
  ...(values.besides && { besides: new RegExp(values.besides) }),
  progress: (programs, took) => tell(`${programs} programs in ${took.toFixed(0)} s`),
};
const last = join(out, 'last.json');
if (values.replay !== undefined) {
  const given = JSON.parse(readFileSync(values.replay === 'last' ? last : resolve(values.replay), 'utf8'));
  await development.replayed(given, options, options.only);
  process.stdout.write('It does not fail.\n');
  process.exit(0);
}
tell(`Simulating with seed ${values.seed} ...`);
const began = performance.now();
let failed = 0;
for (let seed = Number(values.seed); ; seed++) {
  const { programs, operations, seconds: took, found, spans } = await development.simulate({ ...options, seed });
  if (found) {
    failed++;
    writeFileSync(last, JSON.stringify(found.given));
    process.stdout.write(
      `\nFOUND after ${found.after} programs, seed ${found.seed}\n${found.message}\n${found.source}\n`,
    );
    if (values.all && (performance.now() - began) / 1000 < (seconds ?? 0)) continue;
  }
  const { lines, zeros } = development.tableOf(spans);
  if (values.table || (!found && seconds > 300)) process.stdout.write(`${lines.join('\n')}\n`);
  if (!found && zeros.length > 0) tell(`Never tried: ${zeros.join(', ')}`);
  process.stdout.write(
    `${programs} programs, ${operations} operations, ${(programs / took).toFixed(1)} programs a second\n`,
  );
  break;
}
process.exit(failed > 0 ? 1 : 0);
