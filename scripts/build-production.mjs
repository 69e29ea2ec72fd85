// Makes the production build out of the compiled library: the same files without what only development needs, in
// `dist/production`. They are as readable as what they were made of, so that no source maps are needed. Bundlers choose
// between the two by the conditions `development` and `production` of package.json.
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { rolldown } from 'rolldown';
import { root } from './run.mjs';

const dist = join(root, 'dist');
const { exports } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'));
const entries = Object.values(exports)
  .flatMap(({ production }) => production ?? [])
  .map((file) => file.replace('./dist/production/', ''));
// What the inspector's page is bundled from.
entries.push('inspector/page.js');

const bundle = await rolldown({
  input: Object.fromEntries(entries.map((file) => [file.replace(/\.js$/, ''), join(dist, file)])),
  external: (id) => !id.startsWith('.') && !id.startsWith('/'),
  platform: 'neutral',
  treeshake: { moduleSideEffects: false },
  // So that `DEV` becomes a literal in every file, and what stands behind it goes.
  optimization: { inlineConst: { mode: 'all', pass: 3 } },
  plugins: [
    {
      name: 'production',
      load: (id) => (id === join(dist, 'core', 'base', 'mode.js') ? 'export const DEV = false;' : undefined),
    },
  ],
});
const out = join(dist, 'production');
rmSync(out, { recursive: true, force: true });
const { output } = await bundle.write({
  dir: out,
  format: 'es',
  preserveModules: true,
  preserveModulesRoot: dist,
  entryFileNames: '[name].js',
  minify: 'dce-only',
});
await bundle.close();
// Of some imports nothing is left but an order of evaluation, and no file does anything when it is evaluated.
for (const { fileName, code } of output)
  if (code) writeFileSync(join(out, fileName), code.replace(/^import "\.[^"]*";$/gm, ''));
