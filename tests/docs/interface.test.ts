// What a reader of the public interface finds beside each name: what it is for, its defaults, its errors, an example.
import { expect, test } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';

const root = process.cwd();
const { exports } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')) as {
  exports: Record<string, { readonly types?: string }>;
};
const entries = Object.entries(exports).flatMap(([name, { types }]) =>
  types ? [[name, join(root, types)] as const] : [],
);
const program = ts.createProgram(
  entries.map(([, file]) => file),
  {
    module: ts.ModuleKind.NodeNext,
    moduleResolution: ts.ModuleResolutionKind.NodeNext,
    target: ts.ScriptTarget.ES2022,
    jsx: ts.JsxEmit.ReactJSX,
    skipLibCheck: true,
    types: [],
  },
);
const checker = program.getTypeChecker();

interface Export {
  readonly entry: string;
  readonly name: string;
  readonly symbol: ts.Symbol;
}
const all: Export[] = entries.flatMap(([entry, file]) =>
  checker.getExportsOfModule(checker.getSymbolAtLocation(program.getSourceFile(file)!)!).map((found) => ({
    entry,
    name: `${entry} ${found.name}`,
    symbol: found.flags & ts.SymbolFlags.Alias ? checker.getAliasedSymbol(found) : found,
  })),
);
const textOf = (symbol: ts.Symbol): string => ts.displayPartsToString(symbol.getDocumentationComment(checker)).trim();
/** The doc comments of a symbol, of all its overloads, with their tags. */
const wholeOf = (symbol: ts.Symbol): string =>
  (symbol.declarations ?? [])
    .map((one) =>
      ts
        .getJSDocCommentsAndTags(one)
        .map((doc) => doc.getText())
        .join('\n'),
    )
    .join('\n');
const isFunction = ({ symbol }: Export): boolean =>
  (symbol.flags & ts.SymbolFlags.Value) !== 0 && checker.getTypeOfSymbol(symbol).getCallSignatures().length > 0;

test('the public interface is what docs/reference/api says: npm run api writes it', () => {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['scripts/api.mjs', '--check'], { encoding: 'utf8' });
  expect([stdout, stderr, status]).toEqual(['', '', 0]);
});

test('every entry exports something', () => {
  expect(entries.length).toBeGreaterThan(9);
  expect(all.length).toBeGreaterThan(150);
});

test('every public export says what it is for', () => {
  expect(all.filter(({ symbol }) => textOf(symbol).length < 10).map(({ name }) => name)).toEqual([]);
});

test('every public function has an example', () => {
  expect(
    all.filter((one) => isFunction(one) && !wholeOf(one.symbol).includes('@example')).map(({ name }) => name),
  ).toEqual([]);
});

test('every option says what it does, and its default where it may be left out', () => {
  const lacking = all
    .filter(
      ({ symbol }) =>
        symbol.name.endsWith('Options') && symbol.flags & (ts.SymbolFlags.Interface | ts.SymbolFlags.TypeAlias),
    )
    .flatMap(({ name, symbol }) =>
      checker
        .getDeclaredTypeOfSymbol(symbol)
        .getProperties()
        .filter((option) => !option.name.startsWith('__@'))
        .filter((option) => {
          const text = textOf(option);
          return text.length < 10 || ((option.flags & ts.SymbolFlags.Optional) !== 0 && !/default/i.test(text));
        })
        .map((option) => `${name}.${option.name}`),
    );
  expect([...new Set(lacking)]).toEqual([]);
});

test('every error that a doc comment names has a code, and the reference explains it', () => {
  const reference = readFileSync(join(root, 'docs/reference/errors.md'), 'utf8');
  const reported = all.flatMap(({ name, symbol }) =>
    Array.from(wholeOf(symbol).matchAll(/@throws (.+)/g), ([, text]) => ({ name, text })),
  );
  expect(reported.length).toBeGreaterThan(10);
  expect(reported.filter(({ text }) => !/FLOE_[A-Z_]+/.test(text))).toEqual([]);
  const codes = reported.flatMap(({ text }) => text.match(/FLOE_[A-Z_]+/g) ?? []);
  expect(codes.filter((code) => !reference.includes(`## ${code}\n`))).toEqual([]);
});
