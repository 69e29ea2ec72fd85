// `floe new --store NAME`: adds a module with a store, and its test, to a project, in the project's habits.
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { basename, dirname, extname, join, relative } from 'node:path';
import colours from 'picocolors';
import { badOption, fileInUse, noProject } from './errors.js';
import { jsonOf, shown, type Output } from './output.js';
import { manifestIn, nearest, writeNew, type Manifest } from './project.js';

/** How a project writes its modules and tests. */
interface Habits {
  /** The folder of modules that declare stores. */
  readonly folder: string;
  /** The ending of such a module: '.ts'. */
  readonly ending: string;
  /** What stands before the ending of a test: '.test'. */
  readonly mark: string;
  /** The folder of the tests, from that of the modules. */
  readonly tests: string;
  /** What imports of the project's own modules end with, where it has any. */
  readonly imported: string | undefined;
  readonly isKebab: boolean;
  /** The module that lists the stores, where there is one. */
  readonly list: string | undefined;
}

const SOURCE = /\.[mc]?[jt]sx?$/;
const TEST = /\.(test|spec)\.[mc]?[jt]sx?$/;
const DECLARES = /import\s*\{[^}]*\bstore\b[^}]*\}\s*from\s*['"]floe['"]/;
/** The list that the runtime, the tests and the commands take. */
const LISTS = /^export const stores\b/m;
const LEFT_OUT = new Set(['node_modules', 'dist', 'build', 'coverage']);
/** More files than a look at a project's habits needs. */
const MOST = 5000;

export function newStore(name: string, { json }: { readonly json?: boolean }, out: Output): void {
  if (!/^[a-z][a-zA-Z\d]*$/.test(name))
    throw badOption('--store', name, "a name that a constant can have, with a small letter first, such as 'berths'");
  const manifest = nearest(process.cwd(), 'package.json');
  if (manifest === undefined) throw noProject(process.cwd());
  const project = dirname(manifest);
  const habits = habitsIn(project);
  const file = habits.isKebab ? name.replace(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`) : name;
  const module = join(project, habits.folder, file + habits.ending);
  const tests = join(dirname(module), habits.tests);
  const test = join(tests, file + habits.mark + habits.ending);
  const from = relative(tests, dirname(module)).replaceAll('\\', '/');
  const settings = manifestIn(manifest);
  const runner = runnerOf(settings);
  // Node's own runner takes no import without an ending.
  const imported = habits.imported ?? (runner === undefined ? habits.ending : '');
  const toModule = `${from === '' ? './' : `${from}/`}${file}${imported}`;
  const texts: readonly (readonly [string, string])[] = [
    [module, moduleOf(name, habits.ending)],
    [test, testOf(name, toModule, runner)],
  ];
  for (const [path] of texts) if (existsSync(path)) throw fileInUse(shown(relative(process.cwd(), path)));
  writeNew(new Map(texts), 'another name with --store');
  const paths = texts.map(([path]) => relative(process.cwd(), path));
  if (json) out.result(jsonOf({ folder: project, files: paths }));
  else for (const path of paths) out.result(shown(path));
  const where = habits.list && shown(relative(process.cwd(), join(project, habits.list)));
  out.talk(
    colours.dim(
      where === undefined
        ? `\nAdd the store to the runtime: createRuntime({ stores: [..., ${name}] })`
        : `\nAdd the store to the list 'stores' in ${where}.`,
    ),
  );
}

/** What most do; nothing where there is none. */
function mostly<T>(all: readonly T[]): T | undefined {
  const counts = new Map<T, number>();
  for (const one of all) counts.set(one, (counts.get(one) ?? 0) + 1);
  return [...counts].sort(([, a], [, b]) => b - a)[0]?.[0];
}

function habitsIn(project: string): Habits {
  const files = sourcesIn(project);
  const stores = files.filter((path) => !TEST.test(path) && DECLARES.test(readFileSync(join(project, path), 'utf8')));
  const folder = mostly(stores.map((path) => dirname(path))) ?? join('src', 'model');
  const isTyped = existsSync(join(project, 'tsconfig.json'));
  const ending = mostly(stores.map((path) => extname(path).replace(/x$/, ''))) ?? (isTyped ? '.ts' : '.js');
  const tests = files.filter((path) => TEST.test(path));
  const texts = [...stores, ...tests].map((path) => readFileSync(join(project, path), 'utf8'));
  const imports = texts.flatMap((text) =>
    Array.from(text.matchAll(/from\s*['"]\.{1,2}\/[^'"]*['"]/g), ([found]) => found),
  );
  const foldersOfTests = tests.map((path) => {
    const nearby = basename(dirname(path));
    if (nearby === '__tests__') return nearby;
    const [top] = path.split(/[\\/]/);
    return top === 'test' || top === 'tests' ? relative(folder, top) : '';
  });
  return {
    folder,
    ending,
    mark: mostly(tests.map((path) => `.${TEST.exec(path)![1]}`)) ?? '.test',
    tests: mostly(foldersOfTests) ?? '',
    imported: mostly(imports.map((found) => /\.[jt]s(?=['"])/.exec(found)?.[0] ?? '')),
    isKebab: files.some((path) => /[a-z]-[a-z]/.test(basename(path))),
    list: files.find((path) => LISTS.test(readFileSync(join(project, path), 'utf8'))),
  };
}

/** The paths of a project's own modules, from its folder on. */
function sourcesIn(project: string): string[] {
  const found: string[] = [];
  const look = (folder: string): void => {
    for (const entry of readdirSync(join(project, folder), { withFileTypes: true })) {
      if (found.length >= MOST) return;
      const path = join(folder, entry.name);
      if (entry.isDirectory()) {
        if (!LEFT_OUT.has(entry.name) && !entry.name.startsWith('.')) look(path);
      } else if (SOURCE.test(entry.name)) found.push(path);
    }
  };
  look('');
  return found;
}

function moduleOf(name: string, ending: string): string {
  const number = ending.includes('t') ? ': number' : '';
  return `import { store } from 'floe';

/** What stands in it, and who needs it. */
export const ${name} = store('${name}', { count: 0 });

export const ${name}Counted = ${name}.action('counted', (draft, by${number}) => {
  draft.count += by;
});

export const ${name}Empty = ${name}.selector('empty', ({ count }) => count === 0);
`;
}

/** What the tests of a project take from; nothing for Node's own runner. */
const runnerOf = ({ dependencies, devDependencies }: Manifest): string | undefined =>
  ['vitest', '@jest/globals', 'jest'].find((one) => one in { ...dependencies, ...devDependencies });

function testOf(name: string, from: string, runner: string | undefined): string {
  const imports =
    runner === undefined
      ? ["import assert from 'node:assert/strict';", "import { test } from 'node:test';"]
      : runner === 'jest'
        ? []
        : [`import { expect, test } from '${runner}';`];
  const equal = (found: string, wanted: string): string =>
    runner === undefined ? `assert.equal(${found}, ${wanted})` : `expect(${found}).toBe(${wanted})`;
  return `${[...imports, "import { testRuntime } from 'floe/testing';"].join('\n')}
import { ${name}, ${name}Counted, ${name}Empty } from '${from}';

test('the store ${name} counts', () => {
  const runtime = testRuntime({ stores: [${name}] });
  runtime.dispatch(${name}Counted(2));
  ${equal(`runtime.read(${name}).count`, '2')};
  ${equal(`runtime.read(${name}Empty)`, 'false')};
});
`;
}
