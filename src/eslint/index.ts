// floe/eslint: a plugin for ESLint.
import { dispatched } from './dispatched.js';

/**
 * Rules for code that uses Floe.
 * @example
 * // eslint.config.js
 * import floe from 'floe/eslint';
 * export default [{ plugins: { floe }, rules: { 'floe/dispatched': 'error' } }];
 */
const plugin = { meta: { name: 'floe' }, rules: { dispatched } };
export default plugin;
