// What an application ships: production bundles of small programs, minified and gzipped, by each of the usual bundlers.
import { gzipSync } from 'node:zlib';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const external = ['react', 'react/jsx-runtime'];

// Each is loaded only where it bundles: tests need one of them.
const bundlers = {
  async vite(entry, folder) {
    const { build } = await import('vite');
    const result = await build({
      root: folder,
      logLevel: 'silent',
      configFile: false,
      mode: 'production',
      // An application, not a library: Vite keeps a library's white space.
      build: {
        write: false,
        target: 'es2022',
        modulePreload: { polyfill: false },
        rolldownOptions: { input: entry, external },
      },
    });
    return (Array.isArray(result) ? result[0] : result).output[0].code;
  },

  async webpack(entry, folder) {
    const { default: webpack } = await import('webpack');
    const compiler = webpack({
      mode: 'production',
      target: ['web', 'es2022'],
      entry,
      externals: external,
      externalsType: 'module',
      experiments: { outputModule: true },
      output: { path: folder, filename: 'out.mjs', module: true },
    });
    const stats = await new Promise((resolve, reject) =>
      compiler.run((error, done) => (error ? reject(error) : resolve(done))),
    );
    if (stats.hasErrors()) throw new Error(stats.toString({ all: false, errors: true }));
    return readFileSync(join(folder, 'out.mjs'), 'utf8');
  },

  async rollup(entry) {
    const { rollup } = await import('rollup');
    const { nodeResolve } = await import('@rollup/plugin-node-resolve');
    const { minify } = await import('terser');
    const bundle = await rollup({ input: entry, external, plugins: [nodeResolve()], onwarn() {} });
    const [{ code }] = (await bundle.generate({ format: 'es' })).output;
    return (await minify(code, { module: true, ecma: 2020 })).code;
  },

  async esbuild(entry) {
    const { build } = await import('esbuild');
    const { outputFiles } = await build({
      ...{ entryPoints: [entry], external, bundle: true, minify: true, write: false },
      ...{ format: 'esm', target: 'es2022', legalComments: 'none', logLevel: 'error' },
    });
    return outputFiles[0].text;
  },
};

export const bundlerNames = Object.keys(bundlers);

/** The code of a file with everything that it imports, as a bundler makes it for production. */
export async function bundledFile(entry, bundler = 'vite') {
  process.env.NODE_ENV = 'production';
  const folder = mkdtempSync(join(root, 'dist', 'bundle-'));
  try {
    return await bundlers[bundler](entry, folder);
  } finally {
    rmSync(folder, { recursive: true });
  }
}

/** The code of a program, as a bundler makes it for production. */
export async function bundled(program, bundler = 'vite') {
  const folder = mkdtempSync(join(root, 'dist', 'program-'));
  try {
    const entry = join(folder, 'entry.mjs');
    writeFileSync(entry, program);
    return await bundledFile(entry, bundler);
  } finally {
    rmSync(folder, { recursive: true });
  }
}

const core = { floe: ['store', 'selector', 'createRuntime'] };

/**
 * Programs that use all of what they import: names of entries, and what comes from each. In kilobytes, `most` is what was measured
 * last and 1 % more: whoever makes something smaller lowers it.
 */
export const programs = {
  core: { what: '`store`, `selector`, `createRuntime`', most: 21.3, imports: core },
  tasks: { what: 'the same with `task`', most: 31.1, imports: { floe: [...core.floe, 'task'] } },
  react: {
    what: 'the same with `floe/react`',
    most: 22.3,
    imports: { ...core, 'floe/react': ['RuntimeProvider', 'useSelection', 'useAction'] },
  },
  storage: { what: 'the same with `webStorage`', most: 40.7, imports: { ...core, 'floe/persist': ['webStorage'] } },
  tabs: {
    what: 'that with `sharedTabs`',
    most: 51.7,
    imports: { ...core, 'floe/persist': ['webStorage', 'sharedTabs'] },
  },
  trace: { what: 'the same with `recording`', most: 50.5, imports: { ...core, 'floe/trace': ['recording'] } },
  entities: {
    what: 'the same with `floe/entities`',
    most: 35.3,
    imports: { ...core, 'floe/entities': ['entity', 'rowOf', 'tables'] },
  },
};

const sourceOf = ({ imports }) =>
  [
    ...Object.entries(imports).map(([from, names]) => `import { ${names.join(', ')} } from '${from}';`),
    `globalThis.use = [${Object.values(imports).flat().join(', ')}];`,
  ].join('\n');

/** Bytes, gzipped, of a program: by each bundler. */
export async function sizesOf(name) {
  const sizes = {};
  for (const bundler of bundlerNames)
    sizes[bundler] = gzipSync(await bundled(sourceOf(programs[name]), bundler), { level: 9 }).length;
  return sizes;
}

const [, script, ...names] = process.argv;
// `node bench/size.mjs [PROGRAM ...]`: the sizes by program and bundler.
if (script?.endsWith('size.mjs'))
  for (const name of names.length > 0 ? names : Object.keys(programs))
    process.stdout.write(`${name} ${JSON.stringify(await sizesOf(name))}\n`);
