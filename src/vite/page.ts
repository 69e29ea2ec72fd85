// What the plugin for Vite puts into the page, in development: it renews what an edited module declares.
import { renewModule, type ModuleExports } from '../core/internal.js';

/** What each module exported, each time that it was evaluated. */
const evaluations = new Map<string, ModuleExports[]>();

/**
 * Called by each evaluation of a module.
 * @param id the path of the module
 * @param own its exports, when they are there
 */
export function evaluated(id: string, own: Promise<ModuleExports>): void {
  const all = evaluations.get(id) ?? [];
  evaluations.set(id, all);
  void own.then((exports) => all.push({ ...exports }));
}

/**
 * Called with what a module exports after an edit.
 * @returns why the modules that import it have to be evaluated again; nothing where all of them go on
 */
export const renewed = (id: string, after: ModuleExports): string | undefined =>
  renewModule(
    (evaluations.get(id) ?? []).filter((one) => one !== after),
    after,
  );
