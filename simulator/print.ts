// A shrunk program as it is shown: the application as it is declared, and calls of the public interface, to be pasted into a file
// beside this one.
import type { Given } from './simulate.js';

/**
 * @param message what is wrong
 * @param calls what the program does, as a transcript has it
 */
export function printed({ scenario: { blueprint }, check }: Given, message: string, calls: readonly string[]): string {
  const { stores, invariants, limit, redacts, undo, interceptors, place } = blueprint;
  const names = stores.map(({ kind }, i) => `${kind}${i}`);
  const present = names.filter((_, i) => !stores[i].late);
  const options = [
    `stores: [${present.join(', ')}]`,
    `needs: [app.need.by({ ask })]`,
    `trace: floe.recording({ limit: ${limit}${redacts ? `, redact: { state: ['/*/secret'] }` : ''} })`,
    ...(invariants === 'refuse' ? [`invariants: 'refuse'`] : []),
    ...(interceptors.length > 0 ? [`interceptors: app.interceptors`] : []),
    ...(place === 'none' ? [] : [`storage: floe.memoryStorage() /* in the simulator: '${place}' */`]),
  ];
  return [
    `// ${message.split('\n')[0]}${check === 'alone' ? '' : ` (beside its twin: ${check})`}`,
    `import { declare } from './application.js';`,
    `import { library as floe } from './library.js';`,
    ``,
    `let context;`,
    `const ask = () => new Promise(() => {});`,
    `const hooks = { ask, confirm: ask, naughty() {}, hold() {}, context: (given) => (context = given), dispatch: (action) => runtime.dispatch(action) };`,
    `const app = declare(floe, ${JSON.stringify(blueprint)}, 2, hooks);`,
    `const { tasks } = app;`,
    `const [${names.join(', ')}] = app.stores.map(({ store }) => store);`,
    `const runtime = floe.createRuntime({ ${options.join(', ')} });`,
    `runtime.run(tasks.hold()).catch(() => {});`,
    ...(undo ? [`const undo = floe.undoStack(runtime, { stores: [${names.join(', ')}] });`] : []),
    `const attempt = (fn) => { try { fn(); } catch {} };`,
    ``,
    ...calls,
  ].join('\n');
}
