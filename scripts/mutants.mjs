// `npm run test:mutants`: mutation testing of the core with Stryker, file by file. Each file is tried with the suites that are
// about it; what is known of a file is kept in reports/mutants/ until the file is another one, so that a run that was cut off
// goes on where it was. FLOE_MUTATE=draft,graph picks files. Writes the scores into docs/quality.md, between their marks, and
// docs/survivors.md: the mutants that no test notices, each with its reason from scripts/survivors.mjs.
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { root, runTool, tell } from './run.mjs';
import { survivors } from './survivors.mjs';

const corners = [
  'core/runtime',
  'core/stores',
  'core/actions',
  'core/changes',
  'core/groups',
  'core/interceptors',
  'core/selectors',
  'core/watching',
  'core/values',
  'core/patch',
  'core/misuse',
  'core/holding',
  'core/holding.property',
];
const drafts = ['core/draft.property', 'core/production.property'];
const reads = ['core/selectors.property', 'core/graph.property'];
const traces = ['trace/recording', 'trace/history', 'trace/what-if'];
const tasks = ['core/tasks', 'core/optimistic', 'core/past', 'core/optimistic.property'];
const stored = ['persist/later', 'persist/tabs'];
const orders = ['core/interleavings', 'core/interruptions', 'core/ending'];

/** The suites that are about some files; the rest gets what is not about reading. */
const suitesOf = {
  'list-reads': ['core/drafts', 'core/tracking', ...drafts, ...reads],
  'draft-faces': ['core/drafts', 'core/diff', ...corners, ...drafts],
  draft: ['core/drafts', 'core/diff', ...corners, ...drafts, ...traces],
  diff: ['core/diff', ...corners, ...drafts, ...traces],
  plain: ['core/drafts', 'core/diff', ...corners, ...drafts, 'trace/history'],
  patch: ['core/diff', ...corners, ...drafts, 'entities/table.property'],
  changing: [...corners],
  action: [...corners],
  encode: [...corners],
  pointer: [...corners],
  interceptor: [...corners, 'core/tasks'],
  answers: [...corners, 'core/tasks'],
  store: [...corners, 'core/tasks', 'persist/later'],
  tracking: ['core/tracking', ...corners, ...reads, 'entities/table.property'],
  graph: ['core/tracking', ...corners, ...reads],
  reading: [...corners, ...reads],
  source: [...corners, ...reads],
  selection: [...corners, ...reads],
  errors: ['core/errors', ...corners],
  model: ['trace/what-if', 'trace/what-if.property', 'trace/recording', ...corners],
  runs: [...tasks, ...orders, ...corners, 'trace/what-if'],
  run: [...corners, ...tasks, ...orders],
  task: [...tasks, ...orders, ...corners],
  context: [...corners, ...tasks, ...orders],
  waits: [...corners, ...tasks, ...orders],
  hold: [...corners, ...reads],
  watcher: [...corners, ...reads],
  beginning: [...corners],
  probe: ['core/probe'],
  live: ['core/probe'],
  options: [...corners],
  face: [...corners, ...traces],
};
const others = [...corners, ...tasks, ...stored, ...traces];

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
  if (!existsSync(report)) {
    tell(`The mutants of ${name} could not be tried; see above.`);
    continue;
  }
  const { files } = JSON.parse(readFileSync(report, 'utf8'));
  // A file of types has nothing to change.
  const [{ source, mutants } = { source: '', mutants: [] }] = Object.values(files);
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
const sections = [];
const unexplained = [];
const sum = { tried: 0, caught: 0, ignored: 0 };
for (const name of names) {
  const result = resultOf(name);
  if (!result) {
    rows.push(`| \`${name}.ts\` | | | not tried as it is now |`);
    continue;
  }
  const left = result.mutants.filter(({ status }) => status === 'Survived' || status === 'NoCoverage');
  const caught = count(result.mutants, 'Killed', 'Timeout');
  const tried = caught + left.length;
  sum.tried += tried;
  sum.caught += caught;
  sum.ignored += count(result.mutants, 'Ignored');
  if (tried > 0) rows.push(`| \`${name}.ts\` | ${tried} | ${caught} | ${score(caught, tried)} |`);
  if (left.length > 0) sections.push(survivorsOf(name, left));
}
rows.push(`| **all** | ${sum.tried} | ${sum.caught} | **${score(sum.caught, sum.tried)}** |`);

/** The survivors of a file, line by line. Lines that are written alike share a reason; those without one are gathered. */
function survivorsOf(name, mutants) {
  const reasons = survivors[name] ?? {};
  const lines = new Map();
  for (const mutant of mutants) lines.set(mutant.text, [...(lines.get(mutant.text) ?? []), mutant]);
  const items = [...lines].map(([text, those]) => {
    const why = reasons[text];
    if (!why) unexplained.push(`${name}.ts:${those[0].line} ${text}`);
    const become = those.map(({ replacement }) => oneLine(replacement)).join(', ');
    return `- \`\`${text}\`\` (${become})  \n  ${why ?? '**No reason is written yet.**'}`;
  });
  for (const text of Object.keys(reasons)) if (!lines.has(text)) tell(`${name}.ts: nothing survives in: ${text}`);
  return `## ${name}.ts\n\n${items.join('\n')}\n`;
}

function oneLine(text) {
  const line = text.replace(/\s+/g, ' ');
  return `\`\`${line.length > 60 ? `${line.slice(0, 57)}...` : line || ' '}\`\``;
}

const page = join(root, 'docs', 'quality.md');
const table = `| file | mutants | caught | score |\n| --- | --- | --- | --- |\n${rows.join('\n')}\n\nSwitched off with a reason: ${sum.ignored}.\n`;
writeFileSync(
  page,
  readFileSync(page, 'utf8').replace(
    /(<!-- mutants -->\n)[^]*(\n<!-- end of mutants -->)/,
    (_all, begin, end) => `${begin}\n${table}${end}`,
  ),
);
writeFileSync(
  join(root, 'docs', 'survivors.md'),
  `# Surviving mutants

Written by \`npm run test:mutants\`: each line of the core in which a mutant was noticed by no test, what the mutants put there,
and why that is so (from \`scripts/survivors.mjs\`).

${sections.join('\n')}`,
);
for (const one of unexplained) tell(`No reason is written for ${one}`);
console.log(
  `${score(sum.caught, sum.tried)} of ${sum.tried} mutants were caught; ${unexplained.length} lines with survivors have no reason written`,
);
process.exitCode = names.every(resultOf) && sum.caught / sum.tried >= 0.8 && unexplained.length === 0 ? 0 : 1;
