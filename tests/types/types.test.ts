import { expect, test } from '@jest/globals';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';

const folder = join(process.cwd(), 'tests/types/cases');
const options: ts.CompilerOptions = {
  target: ts.ScriptTarget.ES2022,
  module: ts.ModuleKind.NodeNext,
  moduleResolution: ts.ModuleResolutionKind.NodeNext,
  strict: true,
  noEmit: true,
  skipLibCheck: true,
  lib: ['lib.es2023.d.ts', 'lib.dom.d.ts'],
  types: [],
};

const problems = (files: readonly string[], host?: ts.CompilerHost): string[] => {
  const program = ts.createProgram(files, options, host);
  return ts.getPreEmitDiagnostics(program).map((found) => {
    const { line } = found.file?.getLineAndCharacterOfPosition(found.start ?? 0) ?? { line: -1 };
    return `${line + 1}: ${ts.flattenDiagnosticMessageText(found.messageText, ' ')}`;
  });
};

// The built declarations are checked, as a user gets them. A line marked @ts-expect-error that compiles is an error too.
test.each(readdirSync(folder))('%s: right uses compile, wrong ones do not', (name) => {
  expect(problems([join(folder, name)])).toEqual([]);
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
  expect(problems([file], host).length).toBeGreaterThanOrEqual(marks);
});
