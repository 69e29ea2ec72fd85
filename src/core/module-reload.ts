// Development only: what a module declares after an edit takes the place of what it declared before, in every runtime. The
// modules that import it are not evaluated again, and hold what it exported first.
import { DERIVATION, SELECTOR } from './base/protocol.js';
import { sameData } from './data/plain.js';
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
}

/** What an export is, as far as it takes the place of another one. */
type Declared =
  | { readonly kind: 'store'; readonly store: StoreDefinition }
  /** Of no store: a store's own are found by their names. */
  | { readonly kind: 'free selector' | 'free task'; readonly inside: object; readonly name: string }
  | { readonly kind: 'named'; readonly name: string }
  | { readonly kind: 'other' };

function declared(value: unknown): Declared {
  if (value instanceof StoreDefinition) return { kind: 'store', store: value };
  if (typeof value !== 'function') return { kind: 'other' };
  const one = value as {
    readonly [SELECTOR]?: true;
    readonly [DERIVATION]?: Derivation;
    readonly definition?: TaskInside;
    readonly type?: unknown;
  };
  const inside = one[SELECTOR] ? one[DERIVATION] : one.definition;
  if (inside && !inside.store)
    return { kind: one[SELECTOR] ? 'free selector' : 'free task', inside, name: inside.name };
  if (inside) return { kind: 'named', name: inside.name };
  return typeof one.type === 'string' ? { kind: 'named', name: one.type } : { kind: 'other' };
}

/** Why what imports an export has to be evaluated again; nothing where it goes on with what it has. */
function misfit(name: string, before: unknown, after: unknown): string | undefined {
  const [was, is] = [declared(before), declared(after)];
  if (was.kind !== is.kind) return `'${name}' is something else now`;
  if (was.kind === 'other') {
    const isSame =
      typeof before === 'function' || typeof after === 'function'
        ? String(before) === String(after)
        : sameData(before, after);
    return isSame ? undefined : `'${name}' is another value now, which Floe cannot put in the place of the first`;
  }
  const nameOf = (one: Exclude<Declared, { kind: 'other' }>): string => ('store' in one ? one.store.name : one.name);
  const [wasNamed, isNamed] = [nameOf(was), nameOf(is as typeof was)];
  return wasNamed === isNamed ? undefined : `'${wasNamed}' is called '${isNamed}' now`;
}

/**
 * Renews what a module exports, in all runtimes that are open: each state stays, and whoever imports the module goes on.
 * @param earlier what the module exported each time that it was evaluated, the last one last
 * @returns why that cannot be done, as the end of a sentence; then nothing was done
 * @example
 * const why = renewModule([before], after);
 * if (why !== undefined) hot.invalidate(why);
 */
export function renewModule(earlier: readonly ModuleExports[], after: ModuleExports): string | undefined {
  const before = earlier[earlier.length - 1] ?? {};
  const names = Object.keys(before);
  for (const name of names) {
    const why = name in after ? misfit(name, before[name], after[name]) : `'${name}' is no longer exported`;
    if (why !== undefined) return why;
  }
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

/** Has what belongs to no store do what is declared now. Whoever holds the first one goes on with it. */
function replaceInside(before: unknown, after: unknown, hosts: readonly Extensible[]): void {
  const [was, is] = [declared(before), declared(after)];
  if (was.kind === 'free task' && is.kind === 'free task') {
    const { work, options } = is.inside as { readonly work: unknown; readonly options: unknown };
    Object.assign(was.inside, { work, options });
  }
  if (was.kind !== 'free selector' || is.kind !== 'free selector') return;
  const { derive, equal, keep, starting } = is.inside as Derivation;
  Object.assign(was.inside, { derive, equal, keep, starting });
  for (const host of hosts) {
    deriveAgain(host, ({ of }) => (of === was.inside ? of : undefined));
    host.notifications.notify();
  }
}
