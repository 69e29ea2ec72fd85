// `floe new NAME --with FRAMEWORK`: writes a small application that runs, is tested, and can be built.
import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { basename, join, resolve } from 'node:path';
import colours from 'picocolors';
import { badOption, folderInUse } from './errors.js';
import type { Kind } from './options.js';
import { jsonOf, shown, type Output } from './output.js';
import { dependencyFrom, packageFolder } from './own-package.js';
import { writeNew } from './project.js';

export interface NewOptions {
  readonly with: Kind;
  readonly json?: boolean;
}

interface Parts {
  /** How the framework is called in a sentence. */
  readonly called: string;
  /** The module that the page begins with. */
  readonly main: string;
  /** The module of what is shown. */
  readonly board: string;
  /** Checks the types, before the page is built. */
  readonly check: string;
  readonly dependencies: Readonly<Record<string, string>>;
  readonly devDependencies: Readonly<Record<string, string>>;
}

// Versions that were seen to work together: `tests/browser/new.test.ts` builds them.
const ANGULAR = '22.2.6';
const kinds: Readonly<Record<Kind, Parts>> = {
  react: {
    called: 'React',
    main: 'main.tsx',
    board: 'Board.tsx',
    check: 'tsc',
    dependencies: { react: '19.3.1', 'react-dom': '19.3.1' },
    devDependencies: { '@types/react': '19.3.0', '@types/react-dom': '19.3.0', '@vitejs/plugin-react': '6.3.0' },
  },
  vue: {
    called: 'Vue',
    main: 'main.ts',
    board: 'Board.vue',
    check: 'vue-tsc',
    dependencies: { vue: '3.5.45' },
    devDependencies: { '@vitejs/plugin-vue': '6.0.11', 'vue-tsc': '3.3.14' },
  },
  angular: {
    called: 'Angular',
    main: 'main.ts',
    board: 'board.ts',
    check: 'ngc -p tsconfig.app.json --noEmit',
    dependencies: {
      '@angular/common': ANGULAR,
      '@angular/compiler': ANGULAR,
      '@angular/core': ANGULAR,
      '@angular/platform-browser': ANGULAR,
      rxjs: '7.8.2',
    },
    devDependencies: {
      '@analogjs/vite-plugin-angular': '2.7.5',
      '@angular/build': '22.2.7',
      '@angular/compiler-cli': ANGULAR,
    },
  },
  svelte: {
    called: 'Svelte',
    main: 'main.ts',
    board: 'Board.svelte',
    check: 'svelte-check',
    dependencies: { svelte: '5.57.3' },
    devDependencies: { '@sveltejs/vite-plugin-svelte': '7.3.1', 'svelte-check': '4.7.8' },
  },
  plain: {
    called: 'no framework',
    main: 'main.ts',
    board: 'main.ts',
    check: 'tsc',
    dependencies: {},
    devDependencies: {},
  },
};
const tools = {
  '@jest/globals': '30.5.2',
  '@swc/core': '1.16.18',
  '@swc/jest': '0.2.39',
  jest: '30.5.2',
  typescript: '6.0.3',
  vite: '8.3.8',
};

const templates = join(packageFolder, 'templates');

export function newApplication(given: string, { with: kind, json }: NewOptions, out: Output): void {
  const folder = resolve(given);
  const name = basename(folder);
  if (!/^[a-z\d][a-z\d._-]*$/.test(name))
    throw badOption('NAME', given, 'a folder whose name has small letters, digits, - and . only, as packages have');
  if (existsSync(folder) && !isEmpty(folder)) throw folderInUse(given);
  const { called, main, board, check, ...more } = kinds[kind];
  const files = new Map<string, string>();
  for (const template of ['common', kind])
    for (const path of filesIn(join(templates, template))) {
      // A package holds no .gitignore, and no tests.
      const written = path === 'gitignore' ? '.gitignore' : path.replace('.tested.', '.test.');
      const text = readFileSync(join(templates, template, path), 'utf8');
      const common = files.get(written);
      files.set(written, common === undefined ? text : joined(common, text));
    }
  files.set('package.json', jsonFile(manifest(name, check, more, dependencyFrom(folder))));
  const paths = [...files.keys()].sort();
  const words = { APP_NAME: name, APP_MAIN: main, APP_BOARD: board };
  writeNew(new Map(paths.map((path) => [join(folder, path), filled(files.get(path)!, words)])), 'another NAME');
  if (json) out.result(jsonOf({ folder, files: paths }));
  else for (const path of paths) out.result(shown(join(given, path)));
  const steps = [`cd ${given}`, 'npm install', 'npm test', 'npm run dev'].map((step) => `  ${step}`);
  out.talk(
    ['', `An application with ${called}. What comes next:`, ...steps].map((line) => colours.dim(line)).join('\n'),
  );
}

const jsonFile = (value: object): string => `${JSON.stringify(value, undefined, 2)}\n`;

/** A template with its words replaced. */
const filled = (text: string, words: Readonly<Record<string, string>>): string =>
  Object.entries(words).reduce((before, [word, by]) => before.replaceAll(word, by), text);

/** What two templates say of one file: all of the README, and all settings of the compiler. */
function joined(common: string, own: string): string {
  if (!own.startsWith('{')) return `${common}\n${own}`;
  type Settings = { readonly compilerOptions: object };
  const [before, more] = [common, own].map((text) => JSON.parse(text) as Settings);
  return jsonFile({ ...before, ...more, compilerOptions: { ...before.compilerOptions, ...more.compilerOptions } });
}

function manifest(
  name: string,
  check: string,
  more: Pick<Parts, 'dependencies' | 'devDependencies'>,
  floe: string,
): object {
  return {
    name,
    private: true,
    type: 'module',
    scripts: {
      dev: 'vite',
      build: `${check} && vite build`,
      preview: 'vite preview',
      test: 'node --experimental-vm-modules --no-warnings node_modules/jest/bin/jest.js',
    },
    dependencies: sorted({ floe, ...more.dependencies }),
    devDependencies: sorted({ ...tools, ...more.devDependencies }),
  };
}

const sorted = (names: Readonly<Record<string, string>>): object =>
  Object.fromEntries(Object.entries(names).sort(([a], [b]) => (a < b ? -1 : 1)));

/** Whether nothing would be lost: a repository may have been begun there. */
function isEmpty(folder: string): boolean {
  try {
    return readdirSync(folder).every((name) => name === '.git');
  } catch {
    // It is a file.
    return false;
  }
}

/** The paths of all files in a folder, from there on. */
const filesIn = (folder: string): string[] =>
  readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((path) => statSync(join(folder, path)).isFile());
