// Development only: what a module declares after an edit takes the place of what it declared before, in every runtime. The
// modules that import it are not evaluated again, and hold what it exported first.
import { DERIVATION, SELECTOR } from './base/protocol.js';
import { sameData } from './data/plain.js';
import { declaredAgain, firstOf } from './features/tasks/need.js';
import { hostOf } from './kernel/attachment.js';
import type { Extensible } from './kernel/feature.js';
import { deriveAgain, isReload, renew } from './kernel/reload.js';
import { StoreDefinition } from './model/store.js';
import type { Derivation } from './model/source.js';
import { openRuntimes } from './runtime.js';

/** What a module exports, by name. */
export type ModuleExports = Readonly<Record<string, unknown>>;

/** What a task has beside its call. */
interface TaskInside {
  readonly name: string;
  readonly store: StoreDefinition | undefined;
  readonly work: unknown;
  readonly options: unknown;
}

/** What an export is, as far as it takes the place of another one. */
type Declared =
  | { readonly kind: 'store'; readonly store: StoreDefinition }
  | { readonly kind: 'selector' | 'task'; readonly inside: Derivation | TaskInside; readonly name: string }
  | { readonly kind: 'action' | 'need'; readonly name: string }
  | { readonly kind: 'other' };

function declared(value: unknown): Declared {
  if (value instanceof StoreDefinition) return { kind: 'store', store: value };
  const need = value instanceof Object ? firstOf(value) : undefined;
  if (need) return { kind: 'need', name: need.name };
  if (typeof value !== 'function') return { kind: 'other' };
  const one = value as {
    readonly [SELECTOR]?: true;
    readonly [DERIVATION]?: Derivation;
    readonly definition?: TaskInside;
    readonly type?: unknown;
  };
  const inside = one[SELECTOR] ? one[DERIVATION] : one.definition;
  if (inside) return { kind: one[SELECTOR] ? 'selector' : 'task', inside, name: inside.name };
  return typeof one.type === 'string' ? { kind: 'action', name: one.type } : { kind: 'other' };
}

/** Why what imports an export has to be evaluated again; nothing where it goes on with what it has. */
function misfit(name: string, before: unknown, after: unknown, isSameBeside: boolean): string | undefined {
  const [was, is] = [declared(before), declared(after)];
  if (was.kind !== is.kind) return `'${name}' is something else now`;
  if (was.kind === 'other') {
    // What a function does depends on all that stands beside it.
    if (isSameBeside || sameData(before, after)) return undefined;
    return `'${name}' may be something else now, and Floe renews only what it declares`;
  }
  const nameOf = (one: Exclude<Declared, { kind: 'other' }>): string => ('store' in one ? one.store.name : one.name);
  const [wasNamed, isNamed] = [nameOf(was), nameOf(is as typeof was)];
  return wasNamed === isNamed ? undefined : `'${wasNamed}' is called '${isNamed}' now`;
}

/** What is known of a module that was edited. */
interface ModuleFacts {
  /** It is the same beside its declarations. */
  readonly isSameBeside: boolean;
  /** It declares something on the stores of other modules. */
  readonly declaresElsewhere: boolean;
}

/**
 * Renews what a module exports, in all runtimes that are open: each state stays, and whoever imports the module goes on.
 * @param earlier what the module exported each time that it was evaluated, the last one last
 * @returns why that cannot be done, as the end of a sentence; then nothing was done
 * @example
 * const why = renewModule([before], after, { isSameBeside: true, declaresElsewhere: false });
 * if (why !== undefined) hot.invalidate(why);
 */
export function renewModule(
  earlier: readonly ModuleExports[],
  after: ModuleExports,
  { isSameBeside, declaresElsewhere }: ModuleFacts,
): string | undefined {
  const before = earlier[earlier.length - 1] ?? {};
  const names = Object.keys(before);
  for (const name of names) {
    const why =
      name in after ? misfit(name, before[name], after[name], isSameBeside) : `'${name}' is no longer exported`;
    if (why !== undefined) return why;
  }
  // It only looks as if it declared something of Floe.
  if (!declaresElsewhere && names.every((name) => declared(before[name]).kind === 'other'))
    return 'it declares nothing that Floe renews';
  const stores = names.flatMap((name) => {
    const one = declared(after[name]);
    return one.kind === 'store' ? [one.store] : [];
  });
  const hosts = openRuntimes().map(hostOf);
  const unlike = stores.find((store) => hosts.some((host) => !fits(host, store)));
  if (unlike) return `the state of '${unlike.name}' is of another kind now`;
  for (const host of hosts) for (const store of stores) if (host.cells.has(store.name)) renew(host, store, true);
  for (const name of names) for (const exports of earlier) replaceInside(exports[name], after[name], hosts);
  return undefined;
}

/** Whether a state can stay: fields may be new, and those that are gone are reported. */
function fits(host: Extensible, store: StoreDefinition): boolean {
  const known = host.cells.get(store.name)?.store;
  if (!known || isReload(known, store)) return true;
  const kindOf = (state: unknown): string => (Array.isArray(state) ? 'list' : typeof state);
  return kindOf(known.begin()) === kindOf(store.begin());
}

/**
 * Has what belongs to no store, or to the same store as before, do what is declared now: whoever holds the first one goes on with it.
 * What belongs to a store that was declared once more is found by its name.
 */
function replaceInside(before: unknown, after: unknown, hosts: readonly Extensible[]): void {
  const [was, is] = [declared(before), declared(after)];
  if (was.kind === 'need') declaredAgain(before as object, after as object);
  if (!('inside' in was && 'inside' in is) || was.inside.store !== is.inside.store) return;
  if (was.kind === 'task') {
    const { work, options } = is.inside as TaskInside;
    Object.assign(was.inside, { work, options });
    return;
  }
  const { derive, equal, keep, starting } = is.inside as Derivation;
  Object.assign(was.inside, { derive, equal, keep, starting });
  for (const host of hosts) {
    deriveAgain(host, ({ of }) => (of === was.inside ? of : undefined));
    host.notifications.notify();
  }
}
