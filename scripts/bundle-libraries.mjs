// `libraries` puts the libraries of the inspector and of the server behind it into the package, in a file each, with their
// licences. `page` builds the page that `floe inspect` serves, out of the production build. A process of its own, like all
// of Vite here.
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { rolldown } from 'rolldown';
import { build } from 'vite';
import { root } from './run.mjs';

process.env.NODE_ENV = 'production';
const out = join(root, 'dist', 'inspector');

/** The code of a module for browsers with everything that it imports, and the names of the packages in it. */
async function bundledForBrowsers(entry) {
  const result = await build({
    root,
    mode: 'production',
    configFile: false,
    logLevel: 'warn',
    define: { 'process.env.NODE_ENV': '"production"' },
    build: { write: false, target: 'es2022', minify: true, lib: { entry, formats: ['es'], fileName: 'bundle' } },
  });
  const [chunk] = (Array.isArray(result) ? result[0] : result).output;
  return { code: chunk.code, packages: packagesOf(chunk) };
}

/** The code of a module for Node.js with everything that it imports, and the names of the packages in it. */
async function bundledForNode(input) {
  const bundle = await rolldown({ input, platform: 'node' });
  const [chunk] = (await bundle.generate({ format: 'es', minify: true })).output;
  await bundle.close();
  return { code: chunk.code, packages: packagesOf(chunk) };
}

const packagesOf = ({ modules }) =>
  new Set(Object.keys(modules).flatMap((file) => /.*node_modules\/((?:@[^/]+\/)?[^/]+)\//.exec(file)?.[1] ?? []));

/** The licences of packages, as they come with them. */
function licencesOf(packages) {
  return [...packages]
    .sort()
    .map((name) => {
      const folder = join(root, 'node_modules', name);
      const { version, license } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'));
      const file = readdirSync(folder).find((one) => /^licen[cs]e/i.test(one));
      const text = file ? readFileSync(join(folder, file), 'utf8').trim() : `Licence: ${license}`;
      return `${name} ${version} (${license})\n\n${text}`;
    })
    .join('\n\n----------------------------------------\n\n');
}

/** Writes bundles in the place of what the compiler made, and beside them the licences of what they hold. */
function put(folder, sentence, bundles) {
  for (const [name, { code }] of Object.entries(bundles)) {
    writeFileSync(join(folder, name), code);
    rmSync(join(folder, `${name}.map`), { force: true });
  }
  const packages = new Set(Object.values(bundles).flatMap(({ packages }) => [...packages]));
  writeFileSync(join(folder, 'LICENCES.txt'), `${sentence}\n\n${licencesOf(packages)}\n`);
}

const HTML = `<!doctype html>
<html lang="en">
  <head>
    <meta charset="utf-8" />
    <meta name="viewport" content="width=device-width, initial-scale=1" />
    <meta name="referrer" content="no-referrer" />
    <title>Floe inspector</title>
    <link rel="icon" href="data:," />
    <link rel="stylesheet" href="inspector.css" />
    <script type="module" src="inspector.js"></script>
  </head>
  <body></body>
</html>
`;

const parts = {
  async libraries() {
    const inspector = (name) => bundledForBrowsers(join(root, 'src/inspector/interface', name));
    put(join(out, 'interface'), 'The files libraries.js and layout-libraries.js, and the page, hold these packages.', {
      'libraries.js': await inspector('libraries.ts'),
      'layout-libraries.js': await inspector('layout-libraries.ts'),
    });
    const cli = (name) => bundledForNode(join(root, 'src/cli', name));
    put(join(root, 'dist', 'cli'), 'The files server-libraries.js and text-width.js hold these packages.', {
      'server-libraries.js': await cli('server-libraries.ts'),
      'text-width.js': await cli('text-width.ts'),
    });
  },

  async page() {
    // What is imported is bundled already: no more than joining the files is left, and what is loaded on demand stays apart.
    const bundle = await rolldown({ input: join(root, 'dist', 'production', 'inspector', 'page.js') });
    const { output } = await bundle.generate({
      ...{ format: 'es', minify: true },
      ...{ entryFileNames: 'inspector.js', chunkFileNames: '[name].js' },
    });
    await bundle.close();
    const folder = join(out, 'page');
    rmSync(folder, { recursive: true, force: true });
    mkdirSync(folder, { recursive: true });
    for (const { fileName, code } of output) writeFileSync(join(folder, fileName), code);
    writeFileSync(join(folder, 'index.html'), HTML);
    writeFileSync(
      join(folder, 'inspector.css'),
      'html, body { height: 100%; margin: 0; color-scheme: light dark; background: Canvas; }\n',
    );
  },
};
await parts[process.argv[2]]();
