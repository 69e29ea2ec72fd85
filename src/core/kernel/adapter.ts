// What only a user-interface framework can do for a runtime. The runtime knows no framework: a binding hands it over.
import { copiedWhere } from '../data/copied.js';
import type { AnyAction } from '../model/action.js';

/** What a framework that tracks reads does for a runtime whose values its components show. */
export interface FrameworkAdapter {
  /** Runs `fn`; the framework does not note what `fn` reads. */
  untracked<T>(fn: () => T): T;
  /** Whether an object is one of the framework's proxies, which stand for plain data. Default: it has none. */
  isProxy?(value: object): boolean;
}

/** Runs `fn`; no framework notes what it reads: the effect that dispatches does not depend on what others read. */
export function untracked<T>(adapters: readonly FrameworkAdapter[], fn: () => T, from = 0): T {
  return from === adapters.length ? fn() : adapters[from].untracked(() => untracked(adapters, fn, from + 1));
}

/** The action with plain data instead of proxies. */
export function unproxiedAction(adapters: readonly FrameworkAdapter[], action: AnyAction): AnyAction {
  const payload: unknown = (action as AnyAction | null | undefined)?.payload;
  const plain = unproxied(adapters, payload);
  if (plain === payload) return action;
  // Its prototype says who made it.
  const copy = Object.create(Object.getPrototypeOf(action) as object | null) as AnyAction;
  return Object.assign(copy, action, { payload: plain });
}

/**
 * The same data without proxies, at any depth: a proxy is copied as the framework shows it, and so is what leads to one.
 * Data that has none is returned as it is.
 */
export function unproxied(adapters: readonly FrameworkAdapter[], value: unknown): unknown {
  const isProxy = (part: object): boolean => adapters.some((one) => one.isProxy?.(part) === true);
  return adapters.length === 0 ? value : copiedWhere(value, isProxy);
}
