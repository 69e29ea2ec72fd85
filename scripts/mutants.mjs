// `npm run test:mutants`: mutation testing of the core with Stryker, file by file. Each file is tried with the suites that are
// about it; what is known of a file is kept in reports/mutants/ until the file is another one, so that a run that was cut off
// goes on where it was. FLOE_MUTATE=draft,graph picks files. Writes the scores into docs/quality.md, between their marks.
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { root, runTool, tell } from './run.mjs';

const corners = ['core/corners', 'core/rules', 'core/values', 'core/runtime', 'core/patch'];
const drafts = ['core/draft.property', 'core/production.property', 'entities/table.property'];
const reads = ['core/selectors.property', 'core/graph.property', 'entities/table.property'];
const traces = ['trace/recording', 'trace/history', 'trace/what-if'];
const tasks = ['core/tasks', 'core/optimistic.property'];
const orders = ['core/interleavings'];

/** The suites that are about some files; the rest gets what is not about reading. */
const suitesOf = {
  draft: [...corners, ...drafts, ...traces],
  diff: ['core/diff', ...corners, ...drafts, ...traces],
  plain: [...corners, ...drafts, ...tasks, ...traces],
  patch: [...corners, ...drafts],
  tracking: ['core/tracking', ...corners, ...reads],
  graph: [...corners, ...reads],
  reading: [...corners, ...reads],
  source: [...corners, ...reads],
  selection: [...corners, ...reads],
  runs: [...corners, ...tasks, ...orders],
  run: [...corners, ...tasks, ...orders],
  task: [...corners, ...tasks, ...orders],
  context: [...corners, ...tasks, ...orders],
};
const others = [...corners, ...tasks, ...traces];

const reports = join(root, 'reports', 'mutants');
mkdirSync(reports, { recursive: true });
const names = readdirSync(join(root, 'src', 'core'))
  .filter((name) => name.endsWith('.ts') && name !== 'index.ts')
  .map((name) => name.replace('.ts', ''));
const picked = process.env.FLOE_MUTATE?.split(',') ?? names;

const hashOf = (name) =>
  createHash('sha256')
    .update(readFileSync(join(root, 'src', 'core', `${name}.ts`)))
    .digest('hex');
const resultOf = (name) => {
  const file = join(reports, `${name}.json`);
  const known = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : undefined;
  return known?.hash === hashOf(name) ? known : undefined;
};

for (const name of picked) {
  if (resultOf(name)) continue;
  tell(`Trying the mutants of ${name} ...`);
  const report = join(root, 'reports', 'mutants.json');
  rmSync(report, { force: true });
  runTool('@stryker-mutator/core/bin/stryker.js', ['run'], {
    quiet: false,
    env: {
      FLOE_MUTATE: `src/core/${name}.ts`,
      FLOE_SUITES: (suitesOf[name] ?? others).join(','),
      FLOE_SHARE: process.env.FLOE_SHARE ?? '0.05',
    },
  });
  const { files } = JSON.parse(readFileSync(report, 'utf8'));
  const [{ source, mutants }] = Object.values(files);
  const lines = source.split('\n');
  writeFileSync(
    join(reports, `${name}.json`),
    JSON.stringify({
      hash: hashOf(name),
      mutants: mutants.map(({ status, mutatorName, replacement, location, statusReason }) => ({
        status,
        mutatorName,
        replacement,
        line: location.start.line,
        text: lines[location.start.line - 1].trim(),
        ...(status === 'Ignored' && { statusReason }),
      })),
    }),
  );
}

const count = (mutants, ...statuses) => mutants.filter(({ status }) => statuses.includes(status)).length;
const score = (caught, tried) => (tried === 0 ? '' : `${((100 * caught) / tried).toFixed(1)}%`);
const rows = [];
const sum = { tried: 0, caught: 0, ignored: 0 };
for (const name of names) {
  const result = resultOf(name);
  if (!result) {
    rows.push(`| \`${name}.ts\` | | | not tried as it is now |`);
    continue;
  }
  const caught = count(result.mutants, 'Killed', 'Timeout');
  const tried = caught + count(result.mutants, 'Survived', 'NoCoverage');
  const ignored = count(result.mutants, 'Ignored');
  sum.tried += tried;
  sum.caught += caught;
  sum.ignored += ignored;
  rows.push(`| \`${name}.ts\` | ${tried} | ${caught} | ${score(caught, tried)} |`);
}
rows.push(`| **all that were tried** | ${sum.tried} | ${sum.caught} | **${score(sum.caught, sum.tried)}** |`);
const page = join(root, 'docs', 'quality.md');
const table = `| file | mutants | caught | score |\n| --- | --- | --- | --- |\n${rows.join('\n')}\n\nSwitched off with a reason: ${sum.ignored}.\n`;
writeFileSync(
  page,
  readFileSync(page, 'utf8').replace(
    /(<!-- mutants -->\n)[^]*(\n<!-- end of mutants -->)/,
    (_all, begin, end) => `${begin}\n${table}${end}`,
  ),
);
console.log(`${score(sum.caught, sum.tried)} of ${sum.tried} mutants were caught`);
process.exitCode = sum.caught / sum.tried >= 0.8 ? 0 : 1;
