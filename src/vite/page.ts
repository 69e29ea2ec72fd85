// What the plugin for Vite puts into the page, in development: it renews what an edited module declares.
import { evaluationBegan, evaluationEnded, renewModule, type ModuleExports } from '../core/internal.js';

/** What each module exported, each time that it was evaluated. */
const evaluations = new Map<string, ModuleExports[]>();

/** Of Vite's `import.meta.hot`, what is used here. */
interface Hot {
  on(event: 'vite:beforeUpdate', listener: (payload: { updates: readonly { readonly path: string }[] }) => void): void;
}

/** Called before a module declares anything. */
export const began = evaluationBegan;

/**
 * Called when a module has declared everything.
 * @param id its path on the server
 * @param own its exports, when they are there
 */
export function evaluated(id: string, hot: Hot, own: Promise<ModuleExports>): void {
  const all = evaluations.get(id) ?? [];
  evaluations.set(id, all);
  void own.then((exports) => all.push(exports));
  if (!evaluationEnded()) return;
  // It would declare it on the same store twice.
  hot.on('vite:beforeUpdate', ({ updates }) => {
    if (!updates.some(({ path }) => id.endsWith(path.split('?')[0]))) return;
    globalThis.console.info(`[floe] ${id} declares something on a store of another module: the page is loaded again.`);
    globalThis.location.reload();
  });
}

/**
 * Called with what a module exports after an edit.
 * @returns why the modules that import it have to be evaluated again; nothing where all of them go on
 */
export const renewed = (id: string, after: ModuleExports): string | undefined =>
  // The page may have heard of the new evaluation already.
  renewModule(
    (evaluations.get(id) ?? []).filter((one) => one !== after),
    after,
  );
