import { DERIVATION, foreign, SOURCE } from '../base/protocol.js';
import { takesPayload, makeCreator, type About, type ActionOptions, type AnyCreator } from './action.js';
import { badName, badOption, nameTaken, notAStore } from '../base/errors.js';
import { DEV } from '../base/mode.js';
import { declareOn, isDeclaredAgain, noteStore, unfollowed } from './evaluation.js';
import { checkOptions } from '../base/options.js';
import {
  makeSelector,
  NO_BARE,
  nextId,
  type Derivation,
  type Recipe,
  type SelectorOptions,
  type Source,
} from './source.js';
import { creatorsOf, handlesType, typesOf, type DeclaredTask, type Handled } from './triggers.js';
import type { Touches } from '../data/touches.js';
import type { Edits, PersistOptions, RowLink, Store } from './store-types.js';

/** How a store handles an action: edits its draft, or returns the next state. Never both, never later. */
export type Change = (draft: never, payload: never) => unknown;

/** What a copy of a store takes from the store that it is a copy of: what that one declares, now or later. */
export interface Original {
  /** The name of the store that was copied, and where that is a copy, too, of the one before it. */
  readonly names: readonly string[];
  readonly kept: PersistOptions<never> | undefined;
  readonly invariants: readonly Invariant[];
  readonly version: number;
  /** How it handles its own actions, by the types that they have as actions of the copy. */
  own(type: string): Iterable<Change>;
  /** How it handles actions from elsewhere. */
  fromElsewhere(type: string): Iterable<Change>;
  ownTypes(): string[];
  typesFromElsewhere(): string[];
  aboutOf(type: string): About | undefined;
  /** The copy's own version of an action creator or a selector. */
  its(copy: StoreDefinition, thing: AnyCreator & { readonly [DERIVATION]?: Derivation }): unknown;
}

/** Goes up with every declaration: a runtime notices what was declared after it began. */
export let declared = 0;

/**
 * The inside of a store, for the runtime and what is attached to it. Larger than other classes: what is declared of a store is read
 * and written here.
 */
export class StoreDefinition implements Source<unknown> {
  readonly id = nextId();
  readonly changes = new Map<string, Change[]>();
  private readonly whens: { readonly actions: Handled; readonly change: Change }[] = [];
  private declarations = 0;
  private readonly rules: Invariant[] = [];
  private readonly ownTasks: DeclaredTask[] = [];
  /** What is declared, by kind and name. */
  private readonly names = new Set<string>();
  private readonly abouts = new Map<string, About>();
  /** Its selectors by name, for when the module is reloaded. */
  readonly derivations = new Map<string, Derivation>();
  private madeEdits: Edits<string, unknown> | undefined;
  readonly [SOURCE]: Recipe<unknown> = { of: this, args: [], key: '', bare: NO_BARE };
  private keeps: PersistOptions<never> | undefined;

  constructor(
    readonly name: string,
    readonly initial: unknown,
    private readonly original?: Original,
    /** Holds the status of a task: it joins unseen, and is neither reset nor in a snapshot. */
    readonly internal = false,
  ) {
    if (DEV) noteStore(this);
  }

  /** What is kept between sessions, if anything is. */
  get kept(): PersistOptions<never> | undefined {
    return this.keeps ?? this.original?.kept;
  }

  /** Of a copy: the names of the stores that it is a copy of. */
  get copiedFrom(): readonly string[] {
    return this.original?.names ?? [];
  }

  get invariants(): readonly Invariant[] {
    return this.original ? [...this.original.invariants, ...this.rules] : this.rules;
  }

  /** How it handles actions of a type. */
  *changesFor(type: string): Iterable<Change> {
    yield* this.ownChangesFor(type);
    yield* this.fromElsewhere(type);
  }

  /** How it handles its own actions. */
  *ownChangesFor(type: string): Iterable<Change> {
    if (this.original) yield* this.original.own(type);
    yield* this.changes.get(type) ?? [];
  }

  *fromElsewhere(type: string): Iterable<Change> {
    if (this.original) yield* this.original.fromElsewhere(type);
    for (const { actions, change } of this.whens) if (handlesType(actions, type)) yield change;
  }

  /** The types of the actions that it handles, and that start its tasks. Some may come twice. */
  types(): string[] {
    return [...this.ownTypes(), ...this.typesFromElsewhere()];
  }

  /** The types of its own actions. */
  ownTypes(): string[] {
    return [...(this.original?.ownTypes() ?? []), ...this.changes.keys()];
  }

  typesFromElsewhere(): string[] {
    return [
      ...(this.original?.typesFromElsewhere() ?? []),
      ...this.whens.flatMap(({ actions }) => typesOf(actions)),
      ...this.ownTasks.flatMap(({ options }) => (options.when ? typesOf(options.when) : [])),
    ];
  }

  /** Goes up with each declaration that handles actions. */
  get version(): number {
    return this.declarations + (this.original?.version ?? 0);
  }

  /** What was declared about an action that it handles. */
  aboutOf(type: string): About | undefined {
    const own = this.abouts.get(type) ?? this.original?.aboutOf(type);
    if (own) return own;
    for (const { actions } of this.whens) {
      const creator = creatorsOf(actions).find((one) => one.type === type);
      if (creator?.about) return creator.about;
    }
    return undefined;
  }

  /** The same definition once more, under another name. */
  again(name: string, original: Original): StoreDefinition {
    return new StoreDefinition(name, this.initial, original);
  }

  /** A state of the shape that is declared, where that can be told without calling the application's code. */
  get shape(): unknown {
    return typeof this.initial === 'function' ? undefined : this.initial;
  }

  /** The state as declared; a function is called for it. */
  begin(): unknown {
    return typeof this.initial === 'function' ? (this.initial as () => unknown)() : this.initial;
  }

  /**
   * What a change comes to by the rules of the store: called wherever a change is computed, so also in replay. It must be
   * pure.
   * @param _touches what drafts know of the change
   * @throws where a rule refuses the change
   */
  completed(_before: unknown, after: unknown, _touches: Touches | undefined): unknown {
    return after;
  }

  /** A given state to begin with, where a version without some of its parts may have made it. */
  completeWith(given: unknown): unknown {
    return given;
  }

  /** The rows that a row links to, with the place of each link in the row. Only stores of tables have rows. */
  linksFrom?(state: unknown, type: string, key: string): readonly RowLink[];

  /** The rows that link to a row, with the name of the link. */
  linksTo?(state: unknown, type: string, key: string): readonly RowLink[];

  action(name: string, change: Change, options?: ActionOptions): AnyCreator {
    const type = this.nameOf('action', name);
    if (DEV) checkOptions(`The action '${type}'`, options, ['about']);
    this.handle(type, change);
    if (options?.about) this.abouts.set(type, options.about);
    return makeCreator(type, takesPayload(change), this, options);
  }

  handle(type: string, change: Change): void {
    let list = this.changes.get(type);
    if (!list) this.changes.set(type, (list = []));
    this.addTo(list, change);
  }

  when(actions: Handled, change: Change): this {
    this.addTo(this.whens, { actions, change });
    return this;
  }

  /** Adds to one of its lists; in development an edit of the module may remove it again. */
  private addTo<T>(list: T[], item: T): void {
    const counted = (_done: unknown): void => {
      this.declarations++;
      declared++;
    };
    if (DEV)
      declareOn({
        store: this,
        add: () => counted(list.push(item)),
        remove: () => counted(list.splice(list.indexOf(item), 1)),
      });
    else counted(list.push(item));
  }

  selector(
    name: string,
    derive: (state: never, ...args: never[]) => unknown,
    options?: SelectorOptions<never>,
  ): unknown {
    const full = this.nameOf('selector', name);
    const made = makeSelector(full, this, derive, options) as { readonly [DERIVATION]: Derivation };
    this.derivations.set(full, made[DERIVATION]);
    return made;
  }

  /** The full name of what is declared. A name serves once for each kind: with two, which one counts would be chance. */
  nameOf(kind: 'action' | 'selector' | 'task', name: unknown): string {
    const full = `${this.name}.${plainName(DEV ? `${kind === 'action' ? 'An' : 'A'} ${kind} of '${this.name}'` : kind, name)}`;
    const key = `${kind} ${full}`;
    if (this.names.has(key) && !(DEV && isDeclaredAgain(this, key))) throw nameTaken(`The ${kind}`, full);
    if (DEV) declareOn({ store: this, key, add: () => this.names.add(key), remove: () => this.names.delete(key) });
    else this.names.add(key);
    return full;
  }

  addTask(task: DeclaredTask): void {
    this.addTo(this.ownTasks, task);
  }

  get tasks(): readonly DeclaredTask[] {
    return this.ownTasks;
  }

  invariant(name: string, holds: (state: never) => boolean): this {
    this.addTo(this.rules, {
      name: `${this.name}.${plainName(DEV ? `An invariant of '${this.name}'` : this.name, name)}`,
      holds,
    });
    return this;
  }

  edits(): Edits<string, unknown> {
    return (this.madeEdits ??= DEV ? unfollowed(() => this.makeEdits()) : this.makeEdits());
  }

  private makeEdits(): Edits<string, unknown> {
    const replace = this.action('replace', (_state, next) => next);
    const merge = this.action('merge', (draft: object, part: object) => {
      for (const key of Object.keys(part))
        (draft as Record<string, unknown>)[key] = (part as Record<string, unknown>)[key];
    });
    const removeAll = this.action('remove', (draft: object, keys: readonly string[]) => {
      for (const key of keys) Reflect.deleteProperty(draft, key);
    });
    return { replace, merge, remove: (...keys: string[]) => removeAll(keys) } as never;
  }

  persisted(options: PersistOptions<never> = {}): this {
    if (DEV) {
      const what = `'${this.name}'.persisted`;
      checkOptions(what, options, ['only', 'except', 'version', 'upgrade', 'check', 'onConflict']);
      const { version = 1, upgrade } = options;
      if (!Number.isInteger(version) || version < 1) throw badOption(what, 'version', 'is a whole number from 1 on');
      if (upgrade && (upgrade.length === 0 || upgrade.length >= version))
        throw badOption(
          what,
          'upgrade',
          `has ${upgrade.length} steps, but version ${version} has ${version - 1} before it: the last step leads from version ${version - 1} to ${version}. Without steps leave the option out`,
        );
    }
    this.keeps = options;
    return this;
  }
}

/** A rule that must hold after every transition. */
export interface Invariant {
  readonly name: string;
  readonly holds: (state: never) => boolean;
}

/** The name of a store: states stand under it in one object, where a name that all objects inherit would be confused. */
export function storeName(what: string, name: unknown): string {
  const plain = plainName(what, name);
  if (plain in {}) throw badName(what, name);
  return plain;
}

export function plainName(what: string, name: unknown): string {
  if (typeof name !== 'string' || name === '' || /[./]/.test(name)) throw badName(what, name);
  return name;
}

/**
 * Declares a store: a name, and the state it begins with (plain data, or a function that gives it, called once a
 * runtime). Actions, selectors and rules are then declared beside it; all types follow from the state.
 * @throws FLOE_BAD_NAME when the name is empty or holds '.' or '/'
 * @example
 * export const visits = store('visits', { list: [] as Visit[], picked: null as string | null });
 */
export function store<N extends string, S>(name: N, initial: S | (() => S)): Store<N, S> {
  return new StoreDefinition(storeName('A store', name), initial) as unknown as Store<N, S>;
}

/**
 * The inside of a store.
 * @throws FLOE_NOT_A_STORE, FLOE_OTHER_COPY
 */
export function definitionOf(store: Source<unknown>): StoreDefinition {
  if (!((store as unknown) instanceof StoreDefinition)) throw foreign(store) ?? notAStore(store);
  return store as unknown as StoreDefinition;
}
