// A library of models is published with declarations: all types that the compiler infers for them have a name that is exported.
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { cpSync, mkdirSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import newest from 'typescript';
import oldest from 'typescript-oldest';

const root = process.cwd();
const folder = join(root, 'reports', `declarations-${process.pid}`);
const files: string[] = [];

/** What stands on the top level of a snippet, exported. */
const exported = (text: string): string =>
  `export {};\n${text.replace(/^(?=(?:const|let|class|function|async function) )/gm, 'export ')}`;

beforeAll(() => {
  const guides = readdirSync('docs/guides').map((name) => `docs/guides/${name}`);
  mkdirSync(folder, { recursive: true });
  writeFileSync(join(folder, 'package.json'), '{"type":"module"}');
  // As an installed package: of the project's own files the compiler may name those that are not exported.
  mkdirSync(join(folder, 'node_modules'));
  symlinkSync(root, join(folder, 'node_modules', 'floe'));
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
const cases = modes.flatMap(([module, resolution, more]) => [
  ['newest', module, resolution, more] as const,
  ['oldest', module, resolution, {}] as const,
]);
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
    outDir: join(folder, 'out'),
    skipLibCheck: true,
    lib: ['lib.es2023.d.ts', 'lib.dom.d.ts', 'lib.dom.iterable.d.ts'],
    types: ['node'],
    ...more,
  });
  const emitted: string[] = [];
  const found = [
    ...program.getGlobalDiagnostics(),
    ...program.emit(undefined, (name) => void emitted.push(name)).diagnostics,
  ];
  const told = found.map(
    ({ file, messageText }) => `${file?.fileName ?? ''}: ${ts.flattenDiagnosticMessageText(messageText, ' ')}`,
  );
  expect(told).toEqual([]);
  expect(emitted.length).toBeGreaterThan(files.length);
});
