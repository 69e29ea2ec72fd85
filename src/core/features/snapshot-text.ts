// Snapshots as text: what a server puts into a page for the browser's runtime to begin with.
import { fromText, toText } from '../data/encode.js';
import { badSnapshot } from '../base/errors.js';
import { isContainer } from '../data/plain.js';
import type { AnyStore } from '../model/store-types.js';

/**
 * The states of the stores of a runtime as JSON text, which is safe inside a `<script>` element of a page. Dates, Maps, Sets,
 * tables and the like are kept.
 * @param options `only`: the stores; without it, all
 * @example
 * const text = snapshotText(runtime); // on the server
 * createRuntime({ stores: [visits], initial: parseSnapshot(text) }); // in the browser
 */
export const snapshotText = (
  runtime: { snapshot(options?: { readonly only?: readonly AnyStore[] }): Record<string, unknown> },
  options?: { readonly only?: readonly AnyStore[] },
): string => toText(runtime.snapshot(options));

/**
 * The states in a text that `snapshotText` made, for `createRuntime({ initial })`.
 * @example
 * createRuntime({ initial: parseSnapshot(document.getElementById('state').textContent) });
 * @throws FLOE_BAD_SNAPSHOT where the text is not JSON, or is not an object with the states of stores
 */
export function parseSnapshot(text: string): Record<string, unknown> {
  const states = fromText(text);
  if (!isContainer(states) || Array.isArray(states)) throw badSnapshot('it is not an object with the states of stores');
  return states;
}
