// Bundles a page's script: `node scripts/bundle-page.mjs ENTRY [development|production]` writes the code to standard output.
// A process of its own, since Vite does not run inside Jest. Floe comes from its source; a production bundle from dist/.
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { svelte } from '@sveltejs/vite-plugin-svelte';
import { build } from 'vite';
import { root } from './run.mjs';

const inside = (path) => join(root, 'src', path);
const sources = [
  [/^floe$/, 'core/index.ts'],
  [/^floe\/react$/, 'bindings/react/index.ts'],
  [/^floe\/persist\/node$/, 'persist/node/index.ts'],
  [/^floe\/inspector\/link$/, 'inspector/link/index.ts'],
  [/^floe\/([a-z]+)$/, '$1/index.ts'],
];

/** The code of a script with everything that it imports. */
export async function bundlePage(entry, mode = 'production') {
  process.env.NODE_ENV = mode;
  const result = await build({
    root,
    mode,
    configFile: false,
    logLevel: 'silent',
    plugins: [svelte({ configFile: false })],
    define: { 'process.env.NODE_ENV': JSON.stringify(mode) },
    resolve: {
      dedupe: ['react', 'react-dom'],
      alias:
        mode === 'production'
          ? []
          : [
              ...sources.map(([find, path]) => ({ find, replacement: inside(path) })),
              // Floe's sources name the files that they become.
              {
                find: /^(\.{1,2}\/.*)\.js$/,
                replacement: '$1',
              },
            ],
    },
    build: {
      write: false,
      target: 'es2022',
      minify: mode === 'production' && !process.env.FLOE_READABLE,
      // One script: what is loaded on demand is in it.
      rolldownOptions: { input: resolve(entry), output: { codeSplitting: false } },
      modulePreload: { polyfill: false },
    },
  });
  return (Array.isArray(result) ? result[0] : result).output[0].code;
}

if (import.meta.url === pathToFileURL(process.argv[1]).href)
  process.stdout.write(await bundlePage(process.argv[2], process.argv[3]));
