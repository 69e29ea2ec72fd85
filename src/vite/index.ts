// The plugin for Vite: an edit of a module that declares stores keeps the page and its state.
import { fileURLToPath } from 'node:url';
import type { Plugin } from 'vite';
import { besideDeclarations } from './declarations.js';

/** What a module imports, or calls, that declares something of Floe. What it comes to is known when it has been evaluated. */
const DECLARING =
  /import\s*\{[^}]*\b(?:store|selector|task|tables|copyOf)\b[^}]*\}\s*from\s*['"]floe(?:\/entities)?['"]|\.(?:action|selector|invariant|when)\(/;
/** What makes a runtime, or is a component: others accept these, or nothing does. */
const OTHER = /\bcreateRuntime\b|['"]floe\/(?:react|vue|svelte|angular)['"]|import\.meta\.hot/;

/** Floe's own modules: in a checkout they lie in no `node_modules`. */
const OWN = fileURLToPath(new URL('../', import.meta.url)).replaceAll('\\', '/');

/**
 * A plugin for Vite's development server: when a module that declares stores, actions, selectors or tasks is edited, every runtime of
 * the page takes the new declarations. The page is not loaded again, its state stays, and so does what is typed into forms. Where
 * an edit leaves no place for what the page holds (a store is gone, its state is of another kind), Vite evaluates the modules
 * that import it again, which mostly loads the page, and says why. It does nothing in a build, and nothing to a module that does
 * something when it is evaluated, such as starting a timer, or that says itself what is to happen, with `import.meta.hot`.
 * @example
 * // vite.config.ts
 * import { floe } from 'floe/vite';
 * import { defineConfig } from 'vite';
 *
 * export default defineConfig({ plugins: [floe()] });
 */
export const floe = (): Plugin => ({
  name: 'floe',
  apply: 'serve',
  // After what makes JavaScript of a module.
  enforce: 'post',
  transform(code, id, options) {
    if (options?.ssr || id.includes('/node_modules/') || id.startsWith(OWN)) return undefined;
    if (!DECLARING.test(code) || OTHER.test(code)) return undefined;
    const name = JSON.stringify(id.split('?')[0]);
    const beside = besideDeclarations(this.parse(code), code);
    if (beside === undefined) return undefined;
    // On its first line, and after its last one, so that a source map still fits.
    const before = `import * as __floe from 'floe/vite/page'; __floe.began(${name}); `;
    const after = [
      `if (import.meta.hot) {`,
      `  __floe.evaluated(${name}, import.meta.hot, import(/* @vite-ignore */ import.meta.url), '${beside}');`,
      `  import.meta.hot.accept((next) => {`,
      `    const why = next && __floe.renewed(${name}, next);`,
      `    if (why) import.meta.hot.invalidate(why);`,
      `  });`,
      `}`,
    ];
    return { code: `${before}${code}\n${after.join('\n')}\n`, map: null };
  },
});
