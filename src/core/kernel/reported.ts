// Development only: what is reported once a runtime.
import { notHandled, type FloeError } from '../base/errors.js';
import type { Extensible } from './feature.js';

/** Development only: says once a type that an action does nothing. */
export function reportUnhandled(kernel: Extensible, type: string): void {
  if (!kernel.features.first((hooks) => hooks.awaits?.(type) || undefined)) reportOnce(kernel, notHandled(type));
}

const reported = new WeakMap<Extensible, Set<string>>();

/** Development only: reports an error once a runtime. */
export function reportOnce(kernel: Extensible, error: FloeError): void {
  const known = reported.get(kernel) ?? new Set();
  reported.set(kernel, known);
  if (known.size !== known.add(error.message).size) kernel.problem(error);
}
