import { describe, expect, test } from '@jest/globals';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';
import { options, problemsOf } from '../support/compile.js';
import { longMode } from '../support/runs.js';

const folder = join(process.cwd(), 'tests/types/cases');

// The built declarations are checked, as a user gets them. A line marked @ts-expect-error that compiles is an error too.
// In `npm test` the compiler reads these cases among all tests, with another module resolution.
(longMode ? describe : describe.skip)('in the long mode', () => {
  test('right uses compile, wrong ones do not', () => {
    expect(problemsOf(readdirSync(folder).map((name) => join(folder, name)))).toEqual([]);
  });

  test('the marks are not in vain: without them there are as many errors', () => {
    const file = join(folder, 'inference.ts');
    const text = readFileSync(file, 'utf8');
    const marks = text.match(/@ts-expect-error/g)!.length;
    const host = ts.createCompilerHost(options);
    const read = host.getSourceFile.bind(host);
    host.getSourceFile = (path, ...rest) =>
      path === file
        ? ts.createSourceFile(path, text.replaceAll('@ts-expect-error', 'wrong:'), ts.ScriptTarget.ES2022)
        : read(path, ...rest);
    expect(problemsOf([file], host).length).toBeGreaterThanOrEqual(marks);
  });
});
