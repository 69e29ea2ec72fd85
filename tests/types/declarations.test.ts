// A library of models is published with declarations: all types that the compiler infers for them have a name that is exported.
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { cpSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import newest from 'typescript';
import oldest from 'typescript-oldest';
import { longMode } from '../support/runs.js';

const root = process.cwd();
// Outside of the project, as a user's: of files beside its own the compiler may name those that are not exported.
const folder = mkdtempSync(join(tmpdir(), 'floe-declarations-'));
const files: string[] = [];

/** What stands on the top level of a snippet, exported. */
const exported = (text: string): string =>
  `export {};\n${text.replace(/^(?=(?:const|let|class|function|async function) )/gm, 'export ')}`;

beforeAll(() => {
  const guides = readdirSync('docs/guides').map((name) => `docs/guides/${name}`);
  writeFileSync(join(folder, 'package.json'), '{"type":"module"}');
  const modules = join(folder, 'node_modules');
  mkdirSync(modules);
  for (const name of readdirSync('node_modules'))
    if (!name.startsWith('.') && name !== 'floe') symlinkSync(join(root, 'node_modules', name), join(modules, name));
  symlinkSync(root, join(modules, 'floe'));
  for (const page of ['README.md', ...guides])
    for (const [i, [, text]] of [...readFileSync(page, 'utf8').matchAll(/^```ts\n([^]*?)^```$/gm)].entries()) {
      const file = join(folder, `${page.replaceAll('/', '-')}-${i + 1}.ts`);
      writeFileSync(file, exported(text));
      files.push(file);
    }
  for (const [from, to] of [
    ['examples/harbour/src/model', 'harbour'],
    ['templates/common/src/model', 'template'],
  ] as const) {
    cpSync(from, join(folder, to), { recursive: true });
    files.push(join(folder, to, 'index.ts'));
  }
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const modes = [
  ['NodeNext', 'NodeNext', {}],
  ['ESNext', 'Bundler', {}],
  ['ESNext', 'Node10', { ignoreDeprecations: '6.0' }],
] as const;
const every = modes.flatMap(([module, resolution, more]) => [
  ['newest', module, resolution, more] as const,
  ['oldest', module, resolution, {}] as const,
]);
// The oldest of both; the long mode takes all pairs.
const cases = longMode ? every : [every[5]];
const compilers = { newest, oldest: oldest as unknown as typeof newest };

test.each(cases)('the %s TypeScript emits declarations (%s, %s)', (age, module, resolution, more) => {
  const ts = compilers[age];
  const program = ts.createProgram(files, {
    target: ts.ScriptTarget.ES2022,
    module: ts.ModuleKind[module],
    moduleResolution: ts.ModuleResolutionKind[resolution],
    jsx: ts.JsxEmit.ReactJSX,
    strict: true,
    declaration: true,
    emitDeclarationOnly: true,
    skipLibCheck: true,
    lib: ['lib.es2023.d.ts', 'lib.dom.d.ts', 'lib.dom.iterable.d.ts'],
    types: ['node', 'vite/client'],
    ...more,
  });
  const found = [...program.getGlobalDiagnostics(), ...program.getDeclarationDiagnostics()];
  const reported = found.map(
    ({ file, messageText }) => `${file?.fileName ?? ''}: ${ts.flattenDiagnosticMessageText(messageText, ' ')}`,
  );
  expect(reported).toEqual([]);
});
