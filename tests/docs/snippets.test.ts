import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
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

// Each snippet stands alone: it is compiled against the built package and run as a program, as a reader would. One
// compiler reads all of them: the library's types are read once.
let problems: ReadonlyMap<string, string[]>;
beforeAll(() => {
  mkdirSync(folder, { recursive: true });
  for (const { file, text } of all) writeFileSync(file, `export {};\n${text}`);
  problems = problemsByFile(all.map(({ file }) => file));
});
afterAll(() => rmSync(folder, { recursive: true }));

test.each(all)('$name compiles, runs, and does what its comments say', ({ file, text, runs }) => {
  expect([...(problems.get(file) ?? []), ...(problems.get('') ?? [])]).toEqual([]);
  if (!runs) return;
  const program = file.replace(/\.tsx?$/, '.mjs');
  writeFileSync(
    program,
    ts.transpileModule(text, { compilerOptions: { ...options, module: ts.ModuleKind.ESNext } }).outputText,
  );
  const own = mkdtempSync(join(folder, 'run-'));
  const printed = execFileSync(process.execPath, [program], { encoding: 'utf8', cwd: own }).trimEnd().split('\n');
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
