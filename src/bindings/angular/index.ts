// floe/angular: the runtime in Angular.
export { provideRuntime, injectRuntime, injectSelection, injectTask, injectAction, injectReady } from './binding.js';
