// What an application that imports the core ships: a production bundle of a two-line program, minified and gzipped.
import { gzipSync } from 'node:zlib';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'vite';

const root = fileURLToPath(new URL('..', import.meta.url));

/** The bundled code of a program, as Vite builds it for production. */
export async function bundled(program) {
  const folder = mkdtempSync(join(root, 'dist', 'bundle-'));
  try {
    const entry = join(folder, 'entry.mjs');
    writeFileSync(entry, program);
    const result = await build({
      root: folder,
      logLevel: 'silent',
      configFile: false,
      mode: 'production',
      // An application, not a library: Vite keeps a library's white space.
      build: { write: false, target: 'es2022', modulePreload: { polyfill: false }, rolldownOptions: { input: entry } },
      define: { 'process.env.NODE_ENV': '"production"' },
    });
    return (Array.isArray(result) ? result[0] : result).output[0].code;
  } finally {
    rmSync(folder, { recursive: true });
  }
}

/** Bytes, gzipped, of all that `import { store, createRuntime } from 'floe'` brings. */
export async function bundleSize() {
  return gzipSync(
    await bundled("import { store, createRuntime } from 'floe'; globalThis.use = [store, createRuntime];"),
    { level: 9 },
  ).length;
}
