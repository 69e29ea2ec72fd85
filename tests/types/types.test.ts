import { expect, test } from '@jest/globals';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';
import { options, problemsOf } from '../support/compile.js';

const folder = join(process.cwd(), 'tests/types/cases');

// The built declarations are checked, as a user gets them. A line marked @ts-expect-error that compiles is an error too.
test.each(readdirSync(folder))('%s: right uses compile, wrong ones do not', (name) => {
  expect(problemsOf([join(folder, name)])).toEqual([]);
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
