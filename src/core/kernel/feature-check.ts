// Development only: what a feature gives is looked at when it is installed, since a misspelt hook would never be called.
import { badOption, nearest } from '../base/errors.js';
import type { Hooks } from './hooks.js';

/** All of them: the compiler misses none. */
const HOOKS = Object.keys({
  after: 0,
  awaits: 0,
  check: 0,
  committing: 0,
  stated: 0,
  savepoint: 0,
  rollBack: 0,
  lineChanged: 0,
  isMoving: 0,
  leavePast: 0,
  onTopOf: 0,
  readUnseen: 0,
  rebase: 0,
  confirmed: 0,
  pinned: 0,
  idle: 0,
  leave: 0,
  arrived: 0,
  running: 0,
  settled: 0,
  working: 0,
  context: 0,
  run: 0,
  begin: 0,
  tasks: 0,
  close: 0,
} satisfies Record<keyof Hooks, 0>);

/**
 * @param others the features that are installed
 * @throws FLOE_BAD_OPTION
 */
export function checkFeature(
  { name }: { readonly name: string },
  hooks: Hooks,
  others: Iterable<{ readonly name: string }>,
): void {
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
