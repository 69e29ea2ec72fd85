// Serves a folder with Vite's development server and React's fast refresh, for the tests of hot reload:
// `node scripts/hot-server.mjs FOLDER` prints its address. It ends with its standard input.
import { createRequire } from 'node:module';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { createServer } from 'vite';
import { root } from './run.mjs';

process.env.NODE_ENV = 'development';
const require = createRequire(join(root, 'examples', 'harbour', 'package.json'));
const { default: react } = await import(pathToFileURL(require.resolve('@vitejs/plugin-react')).href);
const { floe } = await import('../dist/vite/index.js');
const inside = (path) => join(root, 'src', path);

/** Floe's plugin, for the folders whose name says so. */
const plugin = floe();
const { transform } = plugin;
plugin.transform = function (code, id, options) {
  return id.includes('/plugin/') ? transform.call(this, code, id, options) : undefined;
};

const server = await createServer({
  root: resolve(process.argv[2]),
  configFile: false,
  logLevel: 'error',
  // What other tests wrote to the shared cache is none of its business.
  cacheDir: join(resolve(process.argv[2]), '.vite'),
  plugins: [react(), plugin],
  server: { port: 0, host: '127.0.0.1', watch: { usePolling: true, interval: 50 }, fs: { allow: [root] } },
  resolve: {
    dedupe: ['react', 'react-dom'],
    alias: [
      { find: /^floe$/, replacement: inside('core/index.ts') },
      { find: /^floe\/vite\/page$/, replacement: inside('vite/page.ts') },
      { find: /^floe\/react$/, replacement: inside('bindings/react/index.ts') },
    ],
  },
  optimizeDeps: { include: ['react', 'react-dom/client', 'react/jsx-dev-runtime'] },
});
await server.listen();
process.stdout.write(`${server.resolvedUrls.local[0]}\n`);
process.stdin.resume();
process.stdin.on('end', () => void server.close().then(() => process.exit(0)));
