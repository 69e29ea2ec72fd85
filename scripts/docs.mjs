// `npm run docs`: builds the site from docs/ (the reference from the doc comments), and serves it; with `--build` it only builds it,
// into site/dist. What it needs is installed into site/ the first time.
import { spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { parts } from './build.mjs';
import { root, run, runNpm, tell } from './run.mjs';
import { setUp } from './setup.mjs';

const { values } = parseArgs({ options: { build: { type: 'boolean' }, port: { type: 'string', default: '4330' } } });
setUp();
const site = join(root, 'site');
const pages = join(site, '.pages');
if (!existsSync(join(site, 'node_modules'))) {
  tell('Installing what only the site needs ...');
  if (runNpm(['install', '--no-audit', '--no-fund', '--no-package-lock', '--loglevel=error'], { cwd: site }) !== 0)
    process.exit(1);
}
if (!existsSync(join(root, 'dist', 'inspector', 'index.js')))
  for (const [part, build] of parts) {
    if (part.startsWith('the harbour')) continue;
    tell(`Building ${part} ...`);
    if (build() !== 0) process.exit(1);
  }
const tool = (path, args) => run(process.execPath, [join(site, 'node_modules', path), ...args], { cwd: site });

// ---- the pages: those of the repository, those of the site alone, and the reference ----

rmSync(pages, { recursive: true, force: true });
mkdirSync(pages, { recursive: true });
for (const name of ['ideas.md', 'tutorial', 'guides', 'diagrams', 'screenshots', 'benchmarks.md'])
  cpSync(join(root, 'docs', name), join(pages, name), { recursive: true });
cpSync(join(root, 'docs', 'reference'), join(pages, 'reference'), {
  recursive: true,
  // The reports of the interface are for reviews; here each export has a page.
  filter: (file) => !/reference[/\\]api$/.test(file),
});
for (const name of ['performance.md', 'architecture.md', 'quality.md'])
  cpSync(join(root, 'docs', name), join(pages, name));
cpSync(join(root, 'docs', 'schemas'), join(pages, 'public', 'schemas'), { recursive: true });
cpSync(join(site, 'pages'), pages, { recursive: true });

tell('Writing the reference ...');
const entries = {
  floe: 'core',
  'floe/entities': 'entities',
  'floe/trace': 'trace',
  'floe/persist': 'persist',
  'floe/persist/node': 'persist/node',
  'floe/inspector': 'inspector',
  'floe/inspector/link': 'inspector/link',
  'floe/location': 'location',
  'floe/telemetry': 'telemetry',
  'floe/testing': 'testing',
  'floe/react': 'bindings/react',
  'floe/vue': 'bindings/vue',
  'floe/svelte': 'bindings/svelte',
  'floe/angular': 'bindings/angular',
  'floe/eslint': 'eslint',
  'floe/vite': 'vite',
};
// By these names the generator calls its folders.
const names = join(site, '.entries');
rmSync(names, { recursive: true, force: true });
mkdirSync(names);
const files = Object.entries(entries).map(([name, folder]) => {
  const file = join(names, `${name.replaceAll('/', '-')}.ts`);
  writeFileSync(file, `/** @module ${name} */\nexport * from '../../dist/${folder}/index.js';\n`);
  return file;
});
writeFileSync(
  join(names, 'tsconfig.json'),
  JSON.stringify({
    extends: '../../tsconfig.base.json',
    compilerOptions: { noEmit: true, jsx: 'react-jsx', lib: ['es2023', 'dom', 'dom.iterable'], types: [] },
    include: ['*.ts'],
  }),
);
const written = tool('typedoc/bin/typedoc', [
  ...['--plugin', 'typedoc-plugin-markdown', '--out', join(pages, 'reference', 'exports')],
  ...['--tsconfig', join(names, 'tsconfig.json'), '--entryPoints', ...files],
  ...['--readme', 'none', '--disableSources', '--excludeInternal', '--skipErrorChecking', '--logLevel', 'Error'],
  ...['Functions', 'Variables', 'Interfaces', 'Type Aliases', 'Classes'].flatMap((group) => ['--groupOrder', group]),
  ...['--hideBreadcrumbs', '--hidePageHeader', '--parametersFormat', 'table', '--outputFileStrategy', 'modules'],
]);
if (written !== 0) process.exit(written);

// Commands, from their own declarations.
const help = (...args) =>
  spawnSync(process.execPath, [join(root, 'dist', 'cli', 'bin.js'), ...args, '--help'], {
    encoding: 'utf8',
    env: { ...process.env, NO_COLOR: '1' },
  }).stdout.trimEnd();
const commands = Array.from(help().matchAll(/^ {2}([a-z][a-z-]+) /gm), ([, name]) => name);
const described = commands.map((name) => `## floe ${name}\n\n\`\`\`txt\n${help(name)}\n\`\`\`\n`);
writeFileSync(join(pages, 'reference', 'commands.md'), ['# Commands\n', ...described].join('\n'));

// Links to what is in the repository and not on the site lead nowhere here: they stay as words.
const onSite = (page, link) => existsSync(join(page, '..', decodeURI(link.replace(/[#?].*$/, ''))));
for (const page of markdownIn(pages)) {
  const text = readFileSync(page, 'utf8');
  // What stands in code is no link.
  const linked = text.replace(
    /^```[^]*?^```|`[^`\n]*`|(?<!!)\[([^\]]*)\]\((?!https?:|#|\/)([^)\s]+)\)/gm,
    (all, words, link) => (link === undefined || onSite(page, link) ? all : words),
  );
  if (linked !== text) writeFileSync(page, linked);
}

function markdownIn(folder) {
  return readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((path) => path.endsWith('.md'))
    .map((path) => join(folder, path));
}

// ---- what the live page imports ----

tell('Bundling what the live page imports ...');
const { build: bundle } = await import('esbuild');
await bundle({
  entryPoints: {
    floe: join(root, 'dist/core/index.js'),
    trace: join(root, 'dist/trace/index.js'),
    inspector: join(root, 'dist/inspector/index.js'),
  },
  ...{ bundle: true, splitting: true, format: 'esm', target: 'es2022', minify: true },
  define: { 'process.env.NODE_ENV': '"development"' },
  outdir: join(pages, 'public', 'live'),
});

tell('Building the site ...');
const built = tool('vitepress/bin/vitepress.js', ['build', site]);
if (built !== 0 || values.build) process.exit(built);
process.exit(tool('vitepress/bin/vitepress.js', ['preview', site, '--port', values.port, '--host', '127.0.0.1']));
