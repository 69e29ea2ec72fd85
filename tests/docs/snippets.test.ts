import { expect, test } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';
import { guideText, withRecipes } from '../../scripts/recipes.mjs';
import { options, problemsOf } from '../support/compile.js';

const root = process.cwd();
const guides = join(root, 'docs/guides');
const pages = ['README.md', ...readdirSync(guides).map((name) => `docs/guides/${name}`)];

/** The TypeScript snippets of a page that run. One marked `no-run` needs what a test does not have; it is compiled only. */
const snippetsOf = (page: string) =>
  Array.from(readFileSync(join(root, page), 'utf8').matchAll(/^```(tsx?)( no-run)?\n([^]*?)^```$/gm), (match, i) => ({
    page,
    name: `${page} #${i + 1}`,
    ending: match[1],
    runs: !match[2],
    text: match[3],
  }));

const all = pages.flatMap(snippetsOf);

test('the README has a snippet', () => {
  expect(all.some(({ page }) => page === 'README.md')).toBe(true);
});

// Each snippet stands alone: it is compiled against the built package and run as a program, as a reader would.
test.each(all)('$name compiles, runs, and does what its comments say', ({ ending, text, runs }) => {
  mkdirSync(join(root, 'reports'), { recursive: true });
  const folder = mkdtempSync(join(root, 'reports', 'snippet-'));
  try {
    const file = join(folder, `snippet.${ending}`);
    writeFileSync(file, `export {};\n${text}`);
    expect(problemsOf([file])).toEqual([]);
    if (!runs) return;
    const program = join(folder, 'snippet.mjs');
    writeFileSync(
      program,
      ts.transpileModule(text, { compilerOptions: { ...options, module: ts.ModuleKind.ESNext } }).outputText,
    );
    const printed = execFileSync(process.execPath, [program], { encoding: 'utf8', cwd: folder }).trimEnd().split('\n');
    // `console.log(...); // 3` promises what is printed.
    const promised = Array.from(text.matchAll(/console\.log\(.*\);? \/\/ (.+)$/gm), (match) => match[1]);
    expect(printed.filter(Boolean)).toEqual(promised);
  } finally {
    rmSync(folder, { recursive: true });
  }
});

test('the guide "Work over time" has every recipe as it stands in its module (npm run recipes)', () => {
  const named = Array.from(guideText().matchAll(/^<!-- recipe: ([\w-]+) -->$/gm), (match) => `${match[1]}.ts`);
  expect(named.sort()).toEqual(readdirSync(join(root, 'examples/recipes/src')).sort());
  expect(guideText()).toBe(withRecipes(guideText()));
});
