// Development only: what a feature gives is looked at when it is installed, since a misspelt hook would never be called.
import { badOption, nearest } from '../base/errors.js';
import type { Feature, Hooks } from './feature.js';

const HOOKS = [
  ...['after', 'awaits', 'check', 'committing', 'stated', 'savepoint', 'rollBack', 'lineChanged', 'isMoving'],
  ...['leavePast', 'onTopOf', 'readUnseen', 'rebase', 'confirmed', 'pinned', 'idle', 'leave', 'arrived', 'running'],
  ...['run', 'working', 'begin', 'tasks', 'settled', 'close'],
];

/**
 * @param others the features that are installed
 * @throws FLOE_BAD_OPTION
 */
export function checkFeature({ name }: Feature, hooks: Hooks, others: Iterable<Feature>): void {
  const what = `The feature '${name}'`;
  if (typeof hooks !== 'object' || (hooks as Hooks | null) === null)
    throw badOption(what, 'install', 'returns the hooks of the feature: an object, {} where it has none');
  for (const other of others)
    if (other.name === name)
      throw badOption(what, 'name', 'is the name of another feature of the runtime; give each a name of its own');
  for (const [key, member] of Object.entries(hooks)) {
    if (HOOKS.includes(key) || typeof member !== 'function') continue;
    const meant = nearest(key, HOOKS);
    if (meant)
      throw badOption(
        what,
        key,
        `is no hook; did you mean '${meant}'? A member of the feature's own needs another name`,
      );
  }
}
