// floe/vue: the runtime in Vue.
export { provideRuntime, useRuntime, useSelection, useTask, useAction, useReady } from './binding.js';
