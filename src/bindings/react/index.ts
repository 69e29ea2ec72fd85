// floe/react: the runtime in React.
export { RuntimeProvider, useRuntime, useSelection, useTask, useAction, useReady } from './binding.js';
