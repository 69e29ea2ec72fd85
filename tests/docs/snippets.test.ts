import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';
import { guideText, withRecipes } from '../../scripts/recipes.mjs';
import { options, problemsByFile } from '../support/compile.js';

const root = process.cwd();
const pagesIn = (folder: string): string[] => readdirSync(join(root, folder)).map((name) => `${folder}/${name}`);
const pages = ['README.md', 'docs/ideas.md', ...pagesIn('docs/tutorial'), ...pagesIn('docs/guides')];

const folder = join(root, 'reports', `snippets-${process.pid}`);

/** The TypeScript snippets of a page that run. One marked `no-run` needs what a test does not have; it is compiled only. */
const snippetsOf = (page: string) =>
  Array.from(readFileSync(join(root, page), 'utf8').matchAll(/^```(tsx?)( no-run)?\n([^]*?)^```$/gm), (match, i) => ({
    page,
    name: `${page} #${i + 1}`,
    file: join(folder, `${page.replaceAll('/', '-')}-${i + 1}.${match[1]}`),
    runs: !match[2],
    text: match[3],
  }));

const all = pages.flatMap(snippetsOf);

test('the README has a snippet', () => {
  expect(all.some(({ page }) => page === 'README.md')).toBe(true);
});

/** Runs programs one after the other, each in a folder of its own and until nothing of it waits, and says what each printed. */
const runner = `import { mkdtempSync } from 'node:fs';
import { format } from 'node:util';
const outcomes = [];
let outcome;
console.log = (...said) => outcome.printed.push(...format(...said).split('\\n'));
for (const event of ['unhandledRejection', 'uncaughtException']) process.on(event, (error) => (outcome.error ??= error.stack));
for (const program of JSON.parse(process.env.PROGRAMS)) {
  outcomes.push((outcome = { printed: [] }));
  process.chdir(mkdtempSync(process.env.FOLDER + '/run-'));
  await import(program).catch((error) => (outcome.error ??= error.stack));
  do await new Promise((next) => setImmediate(next));
  while (process.getActiveResourcesInfo().some((kind) => /Timeout|FSReqPromise|FSReqCallback/.test(kind)));
}
process.stdout.write(JSON.stringify(outcomes), () => process.exit());`;

// Each snippet stands alone: it is compiled against the built package and run as a program, as a reader would. One
// compiler and one process take all of them: the library is read once.
let problems: ReadonlyMap<string, string[]>;
const outcomes = new Map<string, { readonly printed: readonly string[]; readonly error?: string }>();
const programOf = (file: string): string => file.replace(/\.tsx?$/, '.mjs');
beforeAll(() => {
  mkdirSync(folder, { recursive: true });
  for (const { file, text } of all) writeFileSync(file, `export {};\n${text}`);
  problems = problemsByFile(all.map(({ file }) => file));
  const run = all.filter(({ runs }) => runs);
  for (const { file, text } of run)
    writeFileSync(
      programOf(file),
      ts.transpileModule(text, { compilerOptions: { ...options, module: ts.ModuleKind.ESNext } }).outputText,
    );
  const printed = execFileSync(process.execPath, ['--input-type=module', '--eval', runner], {
    encoding: 'utf8',
    env: {
      ...process.env,
      NODE_OPTIONS: '',
      FOLDER: folder,
      PROGRAMS: JSON.stringify(run.map(({ file }) => programOf(file))),
    },
  });
  for (const [i, outcome] of (JSON.parse(printed) as { printed: string[]; error?: string }[]).entries())
    outcomes.set(run[i].file, outcome);
});
afterAll(() => rmSync(folder, { recursive: true }));

test.each(all)('$name compiles, runs, and does what its comments say', ({ file, text, runs }) => {
  expect([...(problems.get(file) ?? []), ...(problems.get('') ?? [])]).toEqual([]);
  if (!runs) return;
  const { printed, error } = outcomes.get(file)!;
  expect(error).toBe(undefined);
  // `console.log(...); // 3` promises what is printed.
  const promised = Array.from(text.matchAll(/console\.log\(.*\);? \/\/ (.+)$/gm), (match) => match[1]);
  expect(printed.filter(Boolean)).toEqual(promised);
});

test('the guide "Work over time" has every recipe as it stands in its module (npm run recipes)', () => {
  const named = Array.from(guideText().matchAll(/^<!-- recipe: ([\w-]+) -->$/gm), (match) => `${match[1]}.ts`);
  expect(named.sort()).toEqual(readdirSync(join(root, 'examples/recipes/src')).sort());
  expect(guideText()).toBe(withRecipes(guideText()));
});

test('the guide for Vue, Svelte and Angular shows the components that floe new writes', () => {
  const guide = readFileSync(join(root, 'docs/guides/on-the-screen-vue-svelte-angular.md'), 'utf8');
  const shown = Array.from(guide.matchAll(/^```\w+ (?:no-run )?file=(\S+)\n([^]*?)^```$/gm));
  expect(shown).toHaveLength(3);
  for (const [, path, text] of shown) expect(text).toBe(readFileSync(join(root, 'templates', path), 'utf8'));
});
