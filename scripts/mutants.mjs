// `npm run test:mutants [FILE OR FOLDER ...]`: mutation testing of the core with Stryker. Without names, of the files of the core
// that differ from the last commit, or else that the last commit changed. With `--sample N`, of N mutants of all that is named,
// chosen by a seed (`--seed`, default 1): `npm run test:mutants -- --sample 600 kernel draft reactive`. The score of a sample is
// written into docs/quality.md, between its marks. Fails below 85 %.
import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { parseArgs } from 'node:util';
import { Instrumenter } from '@stryker-mutator/instrumenter';
import fc from 'fast-check';
import { root, runTool, tell } from './run.mjs';

/** Percent of the mutants that the tests have to notice. */
const LEAST = 85;

const { values, positionals } = parseArgs({
  options: { sample: { type: 'string' }, seed: { type: 'string', default: '1' } },
  allowPositionals: true,
});
const core = join(root, 'src', 'core');

/** Mutants of more lines, such as whole functions, are in no sample: Stryker would try all that they hold. */
const MOST_LINES = 3;

/** Suites that take long for each mutant, and find little that the others do not. */
const SLOW = ['core/interleavings', 'core/interruptions', 'core/holding.property'];
const suites = [
  ...readdirSync(join(root, 'tests', 'core'))
    .map((file) => `core/${file.replace('.test.ts', '')}`)
    .filter((suite) => !SLOW.includes(suite)),
  ...['trace/recording', 'trace/history', 'trace/what-if', 'persist/later'],
];

const filesIn = (path) =>
  statSync(path).isDirectory()
    ? readdirSync(path)
        .sort()
        .flatMap((name) => filesIn(join(path, name)))
    : path.endsWith('.ts')
      ? [path]
      : [];
const git = (...args) => execFileSync('git', args, { cwd: root, encoding: 'utf8' }).split('\n').filter(Boolean);

function changedFiles() {
  const since = (commit) => git('diff', '--name-only', '--diff-filter=d', commit, '--', 'src/core');
  const now = since('HEAD');
  return (now.length > 0 ? now : since('HEAD~1')).map((file) => join(root, file));
}
const files = positionals.length > 0 ? positionals.flatMap((name) => filesIn(join(core, name))) : changedFiles();

/** So many mutants of the files, chosen by a seed. */
async function sampled(count, seed) {
  const none = () => undefined;
  const log = {
    isTraceEnabled: () => false,
    isDebugEnabled: () => false,
    info: none,
    debug: none,
    trace: none,
    warn: none,
  };
  const all = [];
  for (const file of files) {
    const name = relative(root, file);
    const { mutants } = await new Instrumenter(log).instrument(
      [{ name, content: readFileSync(file, 'utf8'), mutate: true }],
      { plugins: null, excludedMutations: [], ignorers: [], noHeader: false },
    );
    for (const { location, replacement, status } of mutants)
      if (status !== 'Ignored' && location.end.line - location.start.line < MOST_LINES)
        all.push({ name, ...location, replacement });
  }
  const size = Math.min(count, all.length);
  const [chosen] = fc.sample(fc.shuffledSubarray(all, { minLength: size, maxLength: size }), { seed, numRuns: 1 });
  tell(`${size} of ${all.length} mutants are tried.`);
  return chosen;
}

/** In the numbers of a report, whose lines and columns count from 1. */
const keyOf = (name, { start, end }, replacement, shift) =>
  JSON.stringify([name, start.line + shift, start.column + shift, end.line + shift, end.column + shift, replacement]);

const sample = values.sample ? await sampled(Number(values.sample), Number(values.seed)) : undefined;
const chosen = sample && new Set(sample.map((one) => keyOf(one.name, one, one.replacement, 1)));
const mutate = sample
  ? sample.map(({ name, start, end }) => `${name}:${start.line + 1}:${start.column}-${end.line + 1}:${end.column}`)
  : files.map((file) => relative(root, file));
if (mutate.length === 0) {
  tell('No file of the core has changed. Name files or folders of src/core.');
  process.exit(0);
}
const report = join(root, 'reports', 'mutants.json');
rmSync(report, { force: true });
const places = join(root, 'reports', 'sample.json');
if (sample) {
  mkdirSync(dirname(places), { recursive: true });
  const lines = sample.map(({ start, end }) => [start.line + 1, start.column, end.line + 1, end.column]);
  writeFileSync(places, JSON.stringify(lines));
}
runTool('@stryker-mutator/core/bin/stryker.js', ['run'], {
  env: {
    FLOE_MUTATE: mutate.join(','),
    FLOE_SUITES: suites.join(','),
    ...(sample && { FLOE_SAMPLE: places }),
    FLOE_SHARE: process.env.FLOE_SHARE ?? '0.05',
  },
});
if (!existsSync(report)) {
  tell('The mutants could not be tried; see above.');
  process.exit(2);
}

const rows = [];
const sum = { tried: 0, caught: 0 };
for (const [name, { source, mutants }] of Object.entries(JSON.parse(readFileSync(report, 'utf8')).files)) {
  // The range of a chosen mutant may hold others.
  const own = mutants.filter(
    ({ location, replacement }) => !chosen || chosen.has(keyOf(name, location, replacement, 0)),
  );
  const counted = (...statuses) => own.filter(({ status }) => statuses.includes(status));
  const left = counted('Survived', 'NoCoverage');
  const caught = counted('Killed', 'Timeout').length;
  const tried = caught + left.length;
  if (tried === 0) continue;
  sum.tried += tried;
  sum.caught += caught;
  rows.push(`| \`${name.replace('src/core/', '')}\` | ${tried} | ${caught} |`);
  const lines = source.split('\n');
  for (const { location, replacement } of left) {
    const { line } = location.start;
    tell(`${name}:${line} ${lines[line - 1].trim()}  ->  ${replacement.replace(/\s+/g, ' ').slice(0, 80)}`);
  }
}
const percent = (100 * sum.caught) / sum.tried;
if (values.sample) {
  const page = join(root, 'docs', 'quality.md');
  const table = [
    `${percent.toFixed(1)} % of ${sum.tried} mutants were noticed: \`npm run test:mutants -- --sample ${values.sample} --seed ${values.seed} ${positionals.join(' ')}\`.`,
    '',
    '| file | tried | noticed |',
    '| --- | --- | --- |',
    ...rows,
    '',
  ].join('\n');
  writeFileSync(
    page,
    readFileSync(page, 'utf8').replace(
      /(<!-- mutants -->\n)[^]*(\n<!-- end of mutants -->)/,
      (_all, begin, end) => `${begin}\n${table}${end}`,
    ),
  );
}
console.log(`${percent.toFixed(1)} % of ${sum.tried} mutants were noticed`);
process.exitCode = percent >= LEAST ? 0 : 1;
