// floe/svelte: the runtime in Svelte.
export { provideRuntime, useRuntime, useSelection, useTask, useAction, useReady } from './binding.js';
export type { Current } from './binding.js';
