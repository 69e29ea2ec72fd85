// Compiles files as a user's project would, against the built package.
import ts from 'typescript';

export const options: ts.CompilerOptions = {
  target: ts.ScriptTarget.ES2022,
  module: ts.ModuleKind.NodeNext,
  moduleResolution: ts.ModuleResolutionKind.NodeNext,
  jsx: ts.JsxEmit.ReactJSX,
  strict: true,
  noEmit: true,
  skipLibCheck: true,
  lib: ['lib.es2023.d.ts', 'lib.dom.d.ts'],
  types: ['node', 'vite/client'],
};

/** What the compiler has to say about some files, each with its line, by file; '' where it is about none. */
export function problemsByFile(
  files: readonly string[],
  host?: ts.CompilerHost,
  more?: ts.CompilerOptions,
): ReadonlyMap<string, string[]> {
  const problems = new Map<string, string[]>();
  for (const found of ts.getPreEmitDiagnostics(ts.createProgram(files, { ...options, ...more }, host))) {
    const { line } = found.file?.getLineAndCharacterOfPosition(found.start ?? 0) ?? { line: -1 };
    const name = found.file?.fileName ?? '';
    const text = `${line + 1}: ${ts.flattenDiagnosticMessageText(found.messageText, ' ')}`;
    problems.set(name, [...(problems.get(name) ?? []), text]);
  }
  return problems;
}

/** What the compiler has to say about some files, each with its line. */
export const problemsOf = (...given: Parameters<typeof problemsByFile>): string[] =>
  [...problemsByFile(...given).values()].flat();
