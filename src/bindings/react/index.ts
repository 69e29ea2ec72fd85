// floe/react: the runtime in React.
export { RuntimeProvider, useRuntime, useSelection, useTask, useAction } from './binding.js';
