// `npm run check`: what changed since the last commit, in a minute or two: its formatting, lint and types, and the tests in
// Node.js of the parts that changed. Nearly every test imports the core; all of them are for `npm test`. `--since REV` begins
// at another commit.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { COMPILER, root, runTool, tell } from './run.mjs';
import { setUp } from './setup.mjs';

const { values } = parseArgs({ options: { since: { type: 'string', default: 'HEAD' } } });
setUp();

const git = (...args) => {
  const { status, stdout, stderr } = spawnSync('git', args, { cwd: root, encoding: 'utf8' });
  if (status !== 0) {
    tell(stderr.trim());
    process.exit(2);
  }
  return stdout.split('\n').filter(Boolean);
};
const changed = [
  ...git('diff', '--name-only', '--diff-filter=d', values.since, '--'),
  ...git('ls-files', '--others', '--exclude-standard'),
].filter((file) => existsSync(join(root, file)));
const code = changed.filter((file) => /\.(?:ts|tsx|mjs)$/.test(file));
const among = (...folders) => code.some((file) => folders.some((folder) => file.startsWith(`${folder}/`)));

let failed = 0;
function check(name, wanted, tool, args, env) {
  if (!wanted) return;
  const began = performance.now();
  const isFine = runTool(tool, args, { quiet: !tool.startsWith('jest'), env }) === 0;
  if (!isFine) failed++;
  tell(`${isFine ? 'passed' : 'FAILED'}  ${name} (${((performance.now() - began) / 1000).toFixed(1)} s)`);
}

// The types of tests, benchmarks and the example come from the built sources.
check('Types of the sources', among('src'), COMPILER, ['-b', 'tsconfig.build.json']);
check('Formatting', changed.length > 0, 'prettier/bin/prettier.cjs', [
  ...['--check', '--ignore-unknown', '--log-level', 'warn'],
  ...changed,
]);
check('Lint', code.length > 0, 'eslint/bin/eslint.js', ['--max-warnings', '0', '--no-warn-ignored', ...code]);
for (const folder of ['tests', 'simulator', 'bench', 'examples/harbour'])
  check(`Types of ${folder}`, among(folder), COMPILER, ['-p', folder]);
// A part's tests have its name; those of the simulator stand in it.
const parts = code
  .flatMap((file) => /^(?:src|tests)\/(\w+)\/|^(simulator)\//.exec(file)?.slice(1) ?? [])
  .filter(Boolean);
const folders = [...new Set(parts)].map((part) => (part === 'simulator' ? 'simulator/' : `tests/${part}/`));
const args = ['--selectProjects', 'node', 'dom', '--passWithNoTests', '--testPathPatterns', ...folders];
check('Tests', folders.length > 0, 'jest/bin/jest.js', args, {
  NODE_OPTIONS: `${process.env.NODE_OPTIONS ?? ''} --experimental-vm-modules --no-warnings`.trim(),
});
if (changed.length === 0) tell(`Nothing changed since ${values.since}.`);
process.exitCode = failed > 0 ? 1 : 0;
