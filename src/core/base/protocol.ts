// How one part of Floe knows another: symbols that no other copy of Floe has. Their descriptions name the version, so that a
// copy which meets a value of another one can say so.
import { otherCopy, type FloeError } from './errors.js';

/** The version of the package; a test compares it with package.json. */
const VERSION = '0.1.0';

/** On a source: what it is read by. */
export const SOURCE: unique symbol = Symbol(`floe.source ${VERSION}`);

/** On a selector: how its values are derived. */
export const DERIVATION: unique symbol = Symbol(`floe.derivation ${VERSION}`);

/** On selectors of every copy: a component asks for it at each rendering, and looks for the version only where it is. */
export const SELECTOR: unique symbol = Symbol.for('floe.selector');

/** On a runtime: what it offers to the parts of Floe that work on it. */
export const HOST: unique symbol = Symbol(`floe.host ${VERSION}`);

/** Marks what can be attached to a runtime. */
export const ATTACH: unique symbol = Symbol(`floe.attach ${VERSION}`);

/** Marks the features that Floe itself brings. */
export const FEATURE: unique symbol = Symbol(`floe.feature ${VERSION}`);

/**
 * The error for a value that another copy of Floe made: teams that ship apart may bring two to a page. Nothing where the
 * value is this copy's own, or of no copy at all.
 */
export function foreign(value: unknown): FloeError | undefined {
  const own: readonly symbol[] = [SOURCE, DERIVATION, HOST, ATTACH, FEATURE];
  for (const symbol of Object.getOwnPropertySymbols(Object(value))) {
    const [, version] = /^floe\.[a-z]+ (.+)/.exec(symbol.description ?? '') ?? [];
    if (version !== undefined && !own.includes(symbol)) return otherCopy(version, VERSION);
  }
  return undefined;
}
