// floe/react: the runtime in React.
export { RuntimeProvider, useRuntime, useSelection, useAction } from './binding.js';
