import { describe, expect, test } from '@jest/globals';
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, normalize, relative, sep } from 'node:path';
import ts from 'typescript';

const root = process.cwd();
const src = join(root, 'src');
const walk = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory() ? walk(join(folder, entry.name)) : [join(folder, entry.name)],
  );
const importsOf = (file: string): string[] =>
  ts.preProcessFile(readFileSync(file, 'utf8'), true, true).importedFiles.map(({ fileName }) => fileName);

// What each part may import: other parts, and packages. "node:" stands for Node's own modules.
const arrows: Record<string, { parts: string[]; packages: string[] }> = {
  core: { parts: [], packages: ['@standard-schema/spec'] },
  entities: { parts: ['core'], packages: ['@standard-schema/spec'] },
  trace: { parts: ['core'], packages: [] },
  location: { parts: ['core'], packages: [] },
  telemetry: { parts: ['core', 'trace'], packages: ['@opentelemetry/api'] },
  'inspector/protocol': { parts: ['core'], packages: [] },
  'inspector/history': { parts: ['core', 'trace', 'inspector/protocol'], packages: [] },
  'inspector/ends': { parts: ['core', 'trace', 'inspector/protocol', 'inspector/history'], packages: [] },
  'inspector/link': {
    parts: ['core', 'inspector/protocol', 'inspector/ends', 'inspector/in-page'],
    packages: [],
  },
  'inspector/in-page': { parts: ['trace', 'inspector/protocol', 'inspector/ends'], packages: [] },
  // The interface never touches a runtime but through the protocol.
  inspector: {
    parts: ['core', 'entities', 'inspector/protocol', 'inspector/history', 'inspector/ends', 'inspector/in-page'],
    packages: ['lit', '@tanstack/lit-virtual', 'd3-time', '@dagrejs/dagre'],
  },
  testing: { parts: ['core', 'trace'], packages: [] },
  eslint: { parts: [], packages: [] },
  vite: { parts: ['core'], packages: ['vite', 'node:'] },
  persist: { parts: ['core'], packages: ['idb'] },
  'persist/node': { parts: ['core', 'persist'], packages: ['node:'] },
  'bindings/react': { parts: ['core'], packages: ['react'] },
  'bindings/vue': { parts: ['core'], packages: ['vue'] },
  'bindings/svelte': { parts: ['core'], packages: ['svelte'] },
  'bindings/angular': { parts: ['core'], packages: ['@angular/core'] },
  cli: {
    parts: ['core', 'entities', 'trace', 'persist', 'persist/node', 'inspector/protocol', 'inspector/ends', 'testing'],
    packages: ['node:', 'commander', 'picocolors', 'jiti', 'string-width', 'hono', '@hono/node-server'],
  },
};
const partOf = (file: string): string => {
  const path = relative(src, file).split(sep).join('/');
  return Object.keys(arrows)
    .filter((part) => path.startsWith(`${part}/`))
    .sort((a, b) => b.length - a.length)[0];
};

describe('the arrows between the parts', () => {
  const files = walk(src).filter((file) => file.endsWith('.ts'));
  test('there are files of each part', () => {
    expect(new Set(files.map(partOf))).toEqual(new Set(Object.keys(arrows)));
  });
  test.each(files.map((file) => relative(root, file)))('%s imports only what its part may', (name) => {
    const file = join(root, name);
    const { parts, packages } = arrows[partOf(file)];
    for (const path of importsOf(file)) {
      if (path.startsWith('.')) {
        const target = partOf(normalize(join(dirname(file), path)));
        expect([partOf(file), ...parts]).toContain(target);
      } else
        expect(
          packages.some(
            (allowed) => path === allowed || path.startsWith(allowed.endsWith(':') ? allowed : `${allowed}/`),
          ),
        ).toBe(true);
    }
  });
});

/** The folders of the core, from the ground up: each imports only itself and those before it. */
const storeys = ['base', 'data', 'draft', 'reactive', 'model', 'reading', 'kernel', 'features'];

describe('inside the core', () => {
  const files = walk(join(src, 'core')).filter((file) => file.endsWith('.ts'));
  const inCore = (file: string): string => relative(join(src, 'core'), file).split(sep).join('/');
  const storeyOf = (file: string): number => {
    const [folder, more] = inCore(file).split('/');
    // The public entry and the runtime stand on the roof.
    return more === undefined ? storeys.length : storeys.indexOf(folder);
  };

  test.each(files.map(inCore))('%s imports only what stands below it', (name) => {
    const file = join(src, 'core', name);
    expect(storeyOf(file)).toBeGreaterThanOrEqual(0);
    for (const path of importsOf(file).filter((one) => one.startsWith('.')))
      expect({ path, storey: storeyOf(normalize(join(dirname(file), path))) <= storeyOf(file) }).toEqual({
        path,
        storey: true,
      });
  });

  test('only a view assigns to states', () => {
    const writers = files.filter(
      (file) => !file.includes('beginning') && /\bstates\[[^\]]+\] = /.test(readFileSync(file, 'utf8')),
    );
    expect(writers.map(inCore)).toEqual(['kernel/view.ts']);
  });
});

/** Parts that others import by two entries only: the public one, and `internal.ts`. */
const DOORS = ['core', 'entities', 'trace', 'persist', 'persist/node'];

test('other parts import a part by its two entries', () => {
  const inner = walk(src)
    .filter((file) => /\.tsx?$/.test(file))
    .flatMap((file) =>
      importsOf(file)
        .filter((path) => path.startsWith('.'))
        .map((path) => [file, normalize(join(dirname(file), path))]),
    )
    .filter(([file, target]) => {
      const part = partOf(target);
      return DOORS.includes(part) && partOf(file) !== part && !/[/\\](?:index|internal)\.js$/.test(target);
    });
  expect(inner.map((files) => files.map((file) => relative(src, file)))).toEqual([]);
});

/** Files that need each other's types stand in one folder, or have one subject: docs/architecture.md says why. */
const CIRCLES = [
  ['core/draft/draft-faces', 'core/draft/editing', 'core/draft/list-node', 'core/draft/node', 'core/draft/settling'],
  ['core/model/action', 'core/model/source', 'core/model/store', 'core/model/store-types', 'core/model/triggers'],
  ['entities/table-draft', 'entities/table-kind', 'entities/table-proxy', 'entities/table'],
];

test('no files import each other in a circle, but those that are named', () => {
  const nameOf = (file: string): string =>
    relative(src, file)
      .split(sep)
      .join('/')
      .replace(/\.(ts|tsx|js)$/, '');
  const edges = new Map(
    walk(src)
      .filter((file) => /\.tsx?$/.test(file))
      .map((file) => [
        nameOf(file),
        importsOf(file)
          .filter((path) => path.startsWith('.'))
          .map((path) => nameOf(normalize(join(dirname(file), path)))),
      ]),
  );
  const reached = (from: string): Set<string> => {
    const found = new Set<string>();
    const queue = [from];
    for (const one of queue)
      for (const next of edges.get(one) ?? [])
        if (!found.has(next)) {
          found.add(next);
          queue.push(next);
        }
    return found;
  };
  const reach = new Map(Array.from(edges.keys(), (name) => [name, reached(name)]));
  const circles = new Set<string>();
  for (const [name, all] of reach)
    if (all.has(name))
      circles.add(
        [...all]
          .filter((other) => reach.get(other)?.has(name))
          .sort()
          .join(' '),
      );
  expect([...circles].sort()).toEqual(CIRCLES.map((files) => [...files].sort().join(' ')).sort());
});

test('examples import only public entries', () => {
  const { exports } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')) as {
    exports: Record<string, unknown>;
  };
  const entries = Object.keys(exports).map((key) => key.replace(/^\./, 'floe'));
  const files = walk(join(root, 'examples')).filter((file) => /\.tsx?$/.test(file) && !file.includes('node_modules'));
  for (const path of files.flatMap(importsOf).filter((one) => one.startsWith('floe'))) expect(entries).toContain(path);
  for (const file of files)
    for (const path of importsOf(file)) expect(normalize(join(dirname(file), path)).startsWith(src)).toBe(false);
});

test('every error code is explained in the reference, and every explained code exists', () => {
  const codes = new Set(
    walk(src).flatMap((file) =>
      Array.from(readFileSync(file, 'utf8').matchAll(/'(FLOE_[A-Z_]+)'/g), (match) => match[1]),
    ),
  );
  const explained = Array.from(
    readFileSync(join(root, 'docs/reference/errors.md'), 'utf8').matchAll(/^## (FLOE_[A-Z_]+)$/gm),
    (match) => match[1],
  );
  expect([...explained].sort()).toEqual([...codes].sort());
});
