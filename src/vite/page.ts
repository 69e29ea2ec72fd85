// What the plugin for Vite puts into the page, in development: it renews what an edited module declares.
import {
  declaresElsewhere,
  evaluationBegan,
  evaluationEnded,
  renewModule,
  type ModuleExports,
} from '../core/internal.js';

interface Evaluation {
  readonly exports: ModuleExports;
  readonly beside: string;
}
/** What each module exported, each time that it was evaluated. */
const evaluations = new Map<string, Evaluation[]>();
/** What stands beside the declarations of each module, as it was evaluated last. */
const besides = new Map<string, string>();

/** Of Vite's `import.meta.hot`, what is used here. */
interface Hot {
  on(event: 'vite:beforeUpdate', listener: (payload: { updates: readonly { readonly path: string }[] }) => void): void;
}

/** Called with the path of a module before it declares anything. */
export const began = evaluationBegan;

/**
 * Called when a module has declared everything.
 * @param id its path on the server
 * @param own its exports, when they are there
 * @param beside differs where the module differs beside its declarations
 */
export function evaluated(id: string, hot: Hot, own: Promise<ModuleExports>, beside: string): void {
  const all = evaluations.get(id) ?? [];
  evaluations.set(id, all);
  besides.set(id, beside);
  void own.then((exports) => all.push({ exports, beside }));
  if (evaluationEnded(id)) return;
  // It waited for something, and another module was evaluated meanwhile: it might declare the same twice.
  hot.on('vite:beforeUpdate', ({ updates }) => {
    if (!updates.some(({ path }) => id.endsWith(path.split('?')[0]))) return;
    globalThis.console.info(`[floe] ${id} waits for something while it declares: the page is loaded again.`);
    globalThis.location.reload();
  });
}

/**
 * Called with what a module exports after an edit.
 * @returns why the modules that import it have to be evaluated again; nothing where all of them go on
 */
export function renewed(id: string, after: ModuleExports): string | undefined {
  // The page may have heard of the new evaluation already.
  const earlier = (evaluations.get(id) ?? []).filter(({ exports }) => exports !== after);
  const isSameBeside = earlier.at(-1)?.beside === besides.get(id);
  const all = earlier.map(({ exports }) => exports);
  return renewModule(all, after, { isSameBeside, declaresElsewhere: declaresElsewhere(id) });
}
