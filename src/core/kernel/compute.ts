// Runs the changes of stores: what they make of a state, and what they must not do.
import type { AnyAction } from '../model/action.js';
import { difference } from '../data/diff.js';
import type { KnownTouches } from '../data/touches.js';
import { Editing } from '../draft/editing.js';
import {
  asyncChange,
  changeFailed,
  editedAndReturned,
  FloeError,
  impureChange,
  invariantBroken,
} from '../base/errors.js';
import { DEV } from '../base/mode.js';
import { sameData } from '../data/plain.js';
import { guardData } from '../data/guard.js';
import type { Cell } from './cell.js';
import type { Change, StoreDefinition } from '../model/store.js';

export class Computing {
  /** The change that runs now, in words; nothing while none does. */
  inside = '';

  constructor(private readonly checksPurity: boolean | undefined) {}

  /** Runs code of the application that only looks: it must not dispatch. @param what it is, in words */
  within<T>(what: string, fn: () => T): T {
    const outer = this.inside;
    this.inside = what;
    try {
      return fn();
    } finally {
      this.inside = outer;
    }
  }

  /** The state of one store after all of its changes for an action. Five parameters: an object would be made for every action. */
  all(cell: Cell, changes: readonly Change[], before: unknown, action: AnyAction, touches?: KnownTouches): unknown {
    let after = before;
    for (const change of changes) after = this.one(cell, change, after, action, touches);
    if (!Object.is(after, before))
      after = cell.store.completed(before, after, touches ?? (changes.length === 1 ? cell.editing : undefined));
    if (changes.length > 1 && !Object.is(after, before) && sameData(before, after)) return before;
    if (DEV && !Object.is(after, before))
      guardData(
        after,
        { at: '', what: `The state of '${cell.store.name}' after '${action.type}'` },
        touches ?? (changes.length === 1 ? cell.editing : undefined),
      );
    return after;
  }

  /** The state of one store after the only change that handles an action. */
  alone(cell: Cell, change: Change, before: unknown, action: AnyAction): unknown {
    const after = this.one(cell, change, before, action);
    return Object.is(after, before) ? before : cell.store.completed(before, after, cell.editing);
  }

  /** The state of one store after one change. Five parameters, as above. */
  private one(cell: Cell, change: Change, before: unknown, action: AnyAction, touches?: KnownTouches): unknown {
    const { type } = action;
    const { name } = cell.store;
    const outer = this.inside;
    this.inside = DEV ? `the change of '${name}' for '${type}'` : name;
    // So that a draft of an earlier change is known as one.
    if (DEV) cell.editing = new Editing();
    const { editing } = cell;
    try {
      editing.run(before, change, action.payload);
      const { next, returned } = editing;
      if (returned === undefined) {
        if (touches) editing.remember(touches);
      } else if (isThenable(returned)) {
        // Its result has no effect, and its failure must not be an unhandled rejection.
        returned.then(undefined, () => undefined);
        throw asyncChange(type, name);
      } else if (editing.edited) throw editedAndReturned(type, name);
      const after = returned === undefined ? next : sameData(before, returned) ? before : returned;
      if (DEV && this.checksPurity) checkPurity(cell, change, { before, after }, action);
      return after;
    } catch (error) {
      throw error instanceof FloeError ? error : changeFailed(type, name, error);
    } finally {
      this.inside = outer;
    }
  }
}

/** Runs a change once more: the same state and payload must give the same result. */
function checkPurity(
  { store: { name } }: Cell,
  change: Change,
  { before, after }: { readonly before: unknown; readonly after: unknown },
  action: AnyAction,
): void {
  const again = new Editing();
  again.run(before, change, action.payload);
  const [found] = difference(after, again.returned ?? again.next).changes;
  if (found) throw impureChange(action.type, name, found.path);
}

/** What runs while the rules of stores are looked at, in words. */
export const RULE = 'an invariant';

/** A store with the state that it has after a change. */
export interface Changed {
  readonly store: StoreDefinition;
  readonly after: unknown;
}

/** Calls `found` with each rule of changed stores that does not hold, and with what it threw. */
export function eachBroken(changed: readonly Changed[], found: (rule: string, thrown?: unknown) => void): void {
  for (const { store, after } of changed) {
    for (const { name, holds } of store.invariants) {
      let isKept: boolean;
      try {
        isKept = holds(after as never);
      } catch (cause) {
        found(name, cause);
        continue;
      }
      if (!isKept) found(name);
    }
  }
}

/**
 * An error for each rule of changed stores that does not hold, by the names of the rules: the first one is said where an action is
 * refused, and a replay or a test of it may have the stores in another order.
 */
export function brokenBy(changed: readonly Changed[], type: string): FloeError[] {
  const broken: { readonly rule: string; readonly error: FloeError }[] = [];
  eachBroken(changed, (rule, thrown) => broken.push({ rule, error: invariantBroken(rule, type, thrown) }));
  return broken.sort((a, b) => (a.rule < b.rule ? -1 : 1)).map(({ error }) => error);
}

export const isThenable = (value: unknown): value is PromiseLike<unknown> =>
  typeof (value as { then?: unknown } | null | undefined)?.then === 'function';
