// `npm run bench`: prints each ratio, and writes docs/benchmarks.md. `npm run bench -- inspector`, `cliffs`, `explore`,
// `frameworks` and `sizes` measure these rows alone, and put them in the place of those that the file has.
import { readFileSync, writeFileSync } from 'node:fs';
import { execFileSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { rows as cliffRows } from './cliffs.mjs';
import { rows as exploreRows } from './explore.mjs';
import { rows as frameworkRows } from './frameworks.mjs';
import { diamond } from './model.mjs';
import { rows } from './row.mjs';
import { inspectorSize, rows as inspectorRows } from './inspector.mjs';
import { bundlerNames, programs, sizesOf } from './size.mjs';
import { typeCost } from './types.mjs';

const lines = [];
const say = (work, against, found, wanted, reached) => {
  console.log(
    `${reached ? 'reached' : 'MISSED '}  ${found.padEnd(18)} ${work}, against ${against} (wanted: ${wanted})`,
  );
  lines.push(`| ${work} | ${against} | ${found} | ${wanted} | ${reached ? 'yes' : 'no'} |`);
};

const script = fileURLToPath(new URL('row.mjs', import.meta.url));
const number = new Intl.NumberFormat('en', { maximumFractionDigits: 0 });
const only = process.argv[2];
/** Rows that can be measured alone. */
const groups = { inspector: inspectorRows, cliffs: cliffRows, frameworks: frameworkRows, explore: exploreRows };
for (const [i, row] of rows.entries()) {
  if (only && !groups[only]?.includes(row)) continue;
  const { work, against, most, least, unit = 'ns', mode = 'production' } = row;
  process.stderr.write(`measuring: ${work}, against ${against} ...\n`);
  const { floe, peer } = JSON.parse(
    execFileSync(process.execPath, [script, String(i)], {
      encoding: 'utf8',
      env: { ...process.env, NODE_ENV: mode },
    }),
  );
  process.stderr.write(`  ${number.format(floe)} ${unit} against ${number.format(peer)} ${unit}\n`);
  if (most) say(work, against, `${(floe / peer).toFixed(2)} times`, `at most ${most} times`, floe / peer <= most);
  else
    say(
      work,
      against,
      `${(peer / floe).toFixed(0)} times faster`,
      `at least ${least} times faster`,
      peer / floe >= least,
    );
}
if (!only) {
  const { most, selectors } = diamond();
  say(
    `a diamond 100 wide (${selectors} selectors)`,
    'one run each',
    `${most} run${most === 1 ? '' : 's'}`,
    'each runs once',
    most === 1,
  );
  const memory = fileURLToPath(new URL('tasks-memory.mjs', import.meta.url));
  const { more } = JSON.parse(execFileSync(process.execPath, ['--expose-gc', memory], { encoding: 'utf8' }));
  say(
    'the heap after 10,000 runs of tasks and 10,000 listeners',
    'before them',
    `${(more / 1e6).toFixed(2)} MB more`,
    'at most 1 MB more',
    more <= 1e6,
  );
  const traceMemory = fileURLToPath(new URL('trace-memory.mjs', import.meta.url));
  const recorded = JSON.parse(execFileSync(process.execPath, ['--expose-gc', traceMemory], { encoding: 'utf8' }));
  say(
    `the heap after 100,000 recorded steps that change one row each`,
    `a state of ${(recorded.size / 1e6).toFixed(0)} MB`,
    `${(recorded.more / 1e6).toFixed(0)} MB more`,
    'at most 100 MB more',
    recorded.more <= 100e6,
  );
  const stored = JSON.parse(
    execFileSync(process.execPath, [fileURLToPath(new URL('persist-bytes.mjs', import.meta.url))], {
      encoding: 'utf8',
    }),
  );
  say(
    `bytes written for one changed row of a stored state of ${(stored.snapshot / 1e6).toFixed(0)} MB`,
    'a budget',
    `at most ${stored.one}`,
    'at most 1,000',
    stored.one <= 1000,
  );
  say(
    'bytes written for 10,000 such changes, the whole at the beginning and compaction included',
    `the changes (${(stored.changes / 1e6).toFixed(2)} MB) and the whole`,
    `${(stored.all / 1e6).toFixed(1)} MB`,
    'at most 3 times the changes and 2 wholes',
    stored.all <= 3 * stored.changes + 2 * stored.snapshot,
  );
  const { floe, plain } = typeCost();
  const cost = floe.instantiations / plain.instantiations;
  say(
    `type instantiations of 100 stores with 20 actions each (${floe.instantiations})`,
    `the same as plain functions (${plain.instantiations})`,
    `${cost.toFixed(2)} times`,
    'at most 4 times',
    cost <= 4,
  );
}

if (!only || only === 'sizes')
  for (const [name, { what, most }] of Object.entries(programs)) {
    process.stderr.write(`measuring: the size of ${what} ...\n`);
    const sizes = await sizesOf(name);
    const largest = Math.max(...bundlerNames.map((bundler) => sizes[bundler]));
    say(
      `${what}, minified and gzipped by the bundler that makes most of it`,
      'what it was before',
      `${(largest / 1000).toFixed(1)} kB`,
      `at most ${most} kB`,
      largest <= most * 1000,
    );
  }

const inspector = (name) => {
  process.stderr.write(`measuring: the inspector, ${name} ...\n`);
  return JSON.parse(
    execFileSync(process.execPath, [fileURLToPath(new URL('inspector.mjs', import.meta.url)), name], {
      encoding: 'utf8',
    }),
  );
};
const median = (values) => values.toSorted((a, b) => a - b)[values.length >> 1];
if (!only || only === 'inspector') {
  // Each opening is measured against `JSON.parse` in the same page; the median of several.
  const openings = [1, 2, 3, 4, 5].map(() => inspector('opening'));
  const share = (what) => median(openings.map((one) => one[what] / one.parse));
  const recordingOf = `a recording of 100,000 steps (${(openings[0].size / 1e6).toFixed(0)} MB)`;
  say(
    `the first picture of ${recordingOf}`,
    '`JSON.parse` of it',
    `${share('first').toFixed(2)} times`,
    'at most 2 times',
    share('first') <= 2,
  );
  say(
    `${recordingOf}, whole and answering`,
    '`JSON.parse` of it',
    `${share('whole').toFixed(2)} times`,
    'at most 4 times',
    share('whole') <= 4,
  );
  const longest = median(openings.map((one) => one.longest));
  say(
    `the longest task while ${recordingOf} is opened`,
    'a budget',
    longest === 0 ? 'none over 50 ms' : `${longest.toFixed(0)} ms`,
    'none over 50 ms',
    longest <= 50,
  );
  const drops = [1, 2, 3].map(() => inspector('dropped'));
  for (const [what, most, sentence] of [
    ['whole', 4, 'whole and answering'],
    ['found', 0.5, 'found through'],
  ]) {
    const times = median(drops.map((one) => one[what] / one.parse));
    say(
      `a recording of 200,000 steps, dropped on the page, ${sentence}`,
      '`JSON.parse` of it',
      `${times.toFixed(2)} times`,
      `at most ${most} times`,
      times <= most,
    );
  }
  const busy = inspector('busy');
  for (const [shows, most] of [
    ['folded', 2],
    ['open', 7],
  ]) {
    const more = busy[shows] - busy.nothing;
    say(
      `the main thread of a page of 50 dispatches a second, recorded, with the inspector ${shows}`,
      'the same page without one',
      `${more.toFixed(1)} percentage points more than ${busy.nothing.toFixed(1)} %`,
      `at most ${most} more`,
      more <= most,
    );
  }
  const { shown } = inspector('burst');
  say(
    'a burst of 1,000 actions on a page of 10,000 rows, until it is shown',
    'a budget',
    `${shown.toFixed(0)} ms after its end`,
    'at most 200 ms',
    shown <= 200,
  );
  const { more: held } = inspector('heap');
  say(
    'the heap after 100,000 steps with the inspector open',
    'the trace alone',
    `${(held / 1e6).toFixed(0)} MB more`,
    'at most 60 MB more',
    held <= 60e6,
  );
  const code = inspectorSize();
  say(
    "the inspector's code, loaded on demand, gzipped",
    'a budget',
    `${(code / 1000).toFixed(0)} kB`,
    'at most 90 kB',
    code <= 90_000,
  );
}

const file = new URL('../docs/benchmarks.md', import.meta.url);
if (only) {
  // The first two cells of a row name it.
  const nameOf = (line) => line.split('|').slice(1, 3).join('|').trim();
  const fresh = new Map(lines.map((line) => [nameOf(line), line]));
  const kept = readFileSync(file, 'utf8')
    .trimEnd()
    .split('\n')
    .map((line) => {
      const name = nameOf(line);
      const found = fresh.get(name);
      fresh.delete(name);
      return found ?? line;
    });
  writeFileSync(file, [...kept, ...fresh.values(), ''].join('\n'));
} else
  writeFileSync(
    file,
    `# Benchmarks

Written by \`npm run bench\` with Node.js ${process.versions.node} on ${process.platform} ${process.arch}: production build, no trace unless the row is about it. Each
ratio is of the medians of one run in which both sides took turns, so that whatever the machine does, it does to both; each
row in a process of its own. The peers stand in \`bench/peers.mjs\`: they are what one would write by hand instead.

| work | against | found | wanted | reached |
| --- | --- | --- | --- | --- |
${lines.join('\n')}
`,
  );
