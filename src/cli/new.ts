// `floe new NAME --with FRAMEWORK`: writes a small application that runs, is tested, and can be built.
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, join, resolve } from 'node:path';
import colours from 'picocolors';
import { badOption, fileUnwritable, folderInUse } from './errors.js';
import type { Kind } from './options.js';
import { jsonOf, shown, type Output } from './output.js';
import { packageFolder, packageVersion } from './own-package.js';

export interface NewOptions {
  readonly with: Kind;
  readonly json?: boolean;
}

interface Parts {
  /** How the framework is called in a sentence. */
  readonly called: string;
  /** The module that the page begins with. */
  readonly main: string;
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
    check: 'tsc',
    dependencies: { react: '19.3.1', 'react-dom': '19.3.1' },
    devDependencies: { '@types/react': '19.3.0', '@types/react-dom': '19.3.0', '@vitejs/plugin-react': '6.3.0' },
  },
  vue: {
    called: 'Vue',
    main: 'main.ts',
    check: 'vue-tsc',
    dependencies: { vue: '3.5.45' },
    devDependencies: { '@vitejs/plugin-vue': '6.0.11', 'vue-tsc': '3.3.14' },
  },
  angular: {
    called: 'Angular',
    main: 'main.ts',
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
    check: 'svelte-check',
    dependencies: { svelte: '5.57.3' },
    devDependencies: { '@sveltejs/vite-plugin-svelte': '7.3.1', 'svelte-check': '4.7.8' },
  },
  plain: { called: 'no framework', main: 'main.ts', check: 'tsc', dependencies: {}, devDependencies: {} },
};
const tools = { '@types/node': '^20.19.0', typescript: '6.0.3', vite: '8.3.8' };

const templates = join(packageFolder, 'templates');

export function newApplication(given: string, { with: kind, json }: NewOptions, out: Output): void {
  const folder = resolve(given);
  const name = basename(folder);
  if (!/^[a-z\d][a-z\d._-]*$/.test(name))
    throw badOption('NAME', given, 'a folder whose name has small letters, digits, - and . only, as packages have');
  if (existsSync(folder) && !isEmpty(folder)) throw folderInUse(given);
  const { called, main, check, ...more } = kinds[kind];
  const files = new Map<string, string>();
  for (const template of ['common', kind])
    for (const path of filesIn(join(templates, template))) {
      // A package holds no .gitignore, and no tests.
      const written = path === 'gitignore' ? '.gitignore' : path.replace('.tested.', '.test.');
      files.set(written, readFileSync(join(templates, template, path), 'utf8'));
    }
  files.set('package.json', `${JSON.stringify(manifest(name, check, more), undefined, 2)}\n`);
  const paths = [...files.keys()].sort();
  for (const path of paths) {
    const target = join(folder, path);
    try {
      mkdirSync(dirname(target), { recursive: true });
      writeFileSync(target, files.get(path)!.replaceAll('APP_NAME', name).replaceAll('APP_MAIN', main));
    } catch (cause) {
      throw fileUnwritable(target, cause, 'another NAME');
    }
  }
  if (json) out.result(jsonOf({ folder, files: paths }));
  else for (const path of paths) out.result(shown(join(given, path)));
  const steps = [`cd ${given}`, 'npm install', 'npm test', 'npm run dev'].map((step) => `  ${step}`);
  out.talk(
    ['', `An application with ${called}. What comes next:`, ...steps].map((line) => colours.dim(line)).join('\n'),
  );
}

function manifest(name: string, check: string, more: Pick<Parts, 'dependencies' | 'devDependencies'>): object {
  return {
    name,
    private: true,
    type: 'module',
    scripts: {
      dev: 'vite',
      build: `${check} && vite build`,
      preview: 'vite preview',
      test: 'tsc -p tsconfig.model.json && node --test build/*.test.js',
    },
    dependencies: sorted({ floe: `^${packageVersion()}`, ...more.dependencies }),
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
