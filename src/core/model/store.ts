import { DERIVATION, foreign, SOURCE } from '../base/protocol.js';
import type { StandardSchemaV1 } from '@standard-schema/spec';
import {
  takesPayload,
  makeCreator,
  type About,
  type ActionCreator,
  type ActionOptions,
  type AnyCreator,
} from './action.js';
import { badName, badOption, badSnapshot, nameTaken, notAStore, unknownField } from '../base/errors.js';
import { DEV } from '../base/mode.js';
import { checkOptions } from '../base/options.js';
import { isKeyed } from '../data/keyed.js';
import { escapeKey, hasOwn, isContainer, partOf } from '../data/plain.js';
import type { Draft } from '../draft/types.js';
import { parsePointer } from '../data/pointer.js';
import {
  makeSelector,
  NO_BARE,
  nextId,
  type Derivation,
  type Recipe,
  type Selector,
  type SelectorOptions,
  type Source,
} from './source.js';
import { creatorsOf, handlesType, typesOf, type DeclaredTask, type Handled, type PayloadOf } from './triggers.js';
import type { Touches } from '../data/touches.js';

/** How a store handles an action: edits its draft, or returns the next state. Never both, never later. */
export type Change = (draft: never, payload: never) => unknown;

/** What of a store is kept between sessions. Where, is the runtime's matter. */
export interface PersistOptions<S> {
  /** What is kept: fields by name, or parts by JSON Pointer (RFC 6901) through objects. Default: everything. */
  readonly only?: readonly ((keyof S & string) | `/${string}`)[];
  /** What of that is not kept. Default: nothing. */
  readonly except?: readonly ((keyof S & string) | `/${string}`)[];
  /** The version of what is kept: raise it when its shape changes. Default: 1. */
  readonly version?: number;
  /**
   * Leads from older versions to this one: the last step to `version` from the one before it, and so on. Each is given
   * what was kept, and edits it or returns the next; what it throws sets the stored state aside. Default:
   * nothing leads there, and older stored state is set aside.
   * @example
   * notes.persisted({ version: 3, upgrade: [addTheDay, nameTheShift] }); // from 1 to 2, from 2 to 3
   */
  readonly upgrade?: readonly ((stored: never) => unknown)[];
  /**
   * Looks at what was stored before it is used: any validator of the Standard Schema interface. What it returns is used.
   * Must return at once. Default: what was stored is used as it is.
   */
  readonly check?: StandardSchemaV1<unknown, unknown>;
  /**
   * Gives the value of a place that this session and another one both changed. Pure; what it returns is stored. Default:
   * this session's value is stored, and what the other one stored is set aside.
   * @example
   * log.persisted({ onConflict: ({ own, stored }) => Math.max(own as number, stored as number) });
   */
  readonly onConflict?: (conflict: Conflict) => unknown;
}

/** A place that this session and another one both changed since they had the same state. */
export interface Conflict {
  /** JSON Pointer (RFC 6901) into the kept state; a row of a table counts by its key. */
  readonly place: string;
  /** The value that both began with. */
  readonly before: unknown;
  /** The value of this session. */
  readonly own: unknown;
  /** The value that the other session stored. */
  readonly stored: unknown;
}

/** One action creator, or several with the same payload. */

/** The ready-made actions of a small store. */
export interface Edits<N extends string, S> {
  /** Puts another state in the place of this one. */
  readonly replace: ActionCreator<`${N}.replace`, [next: S]>;
  /** Gives some fields new values. */
  readonly merge: ActionCreator<`${N}.merge`, [part: Partial<S>]>;
  /** Takes some fields away. */
  readonly remove: (...keys: (keyof S & string)[]) => {
    readonly type: `${N}.remove`;
    readonly payload: readonly string[];
  };
}

/** A declared store. It holds no state: a runtime does. */
export interface Store<N extends string = string, S = unknown> extends Source<S> {
  readonly name: N;
  /**
   * Declares an action of this store and how the store changes with it. Say what happened, in the past tense.
   * @param change edits `draft`, or returns the next state; a second parameter is the payload
   * @example
   * export const visitPlanned = visits.action('planned', (draft, visit: Visit) => { draft.list.push(visit); });
   */
  action<K extends string, A extends [payload?: unknown]>(
    name: K,
    change: (draft: Draft<S>, ...payload: A) => void | S,
    options?: ActionOptions<A>,
  ): ActionCreator<`${N}.${K}`, A>;
  /**
   * Declares how this store handles actions from elsewhere. Returns the store.
   * @param actions a creator or a list of them; a function that gives them where modules import each other in a circle
   */
  when<const C extends Handled>(actions: C, change: (draft: Draft<S>, ...payload: PayloadOf<C>) => void | S): this;
  /**
   * Declares a value derived from this store's state. What is read is tracked to the property: it runs again only if
   * something that it read changed.
   * @example
   * export const visitById = visits.selector('byId', (state, id: string) => state.list.find((v) => v.id === id));
   */
  selector<T, A extends readonly unknown[]>(
    name: string,
    derive: (state: S, ...args: A) => T,
    options?: SelectorOptions<T>,
  ): Selector<T, A>;
  /** A rule that must hold after every transition. Reported when broken, or refused: see `createRuntime({ invariants })`. */
  invariant(name: string, holds: (state: S) => boolean): this;
  /** Ready-made actions: `replace(next)`, `merge(part)`, `remove(...keys)`. */
  edits(): Edits<N, S>;
  /** Says what is kept between sessions; without options, everything. Returns the store. */
  persisted(options?: PersistOptions<S>): this;
  /** Only there for the type of a copy. */
  readonly [COPIED]?: StoreCopied<S>;
}

/** Only there for types: what `copyOf` makes of a store. */
export declare const COPIED: unique symbol;

/** The type of a copy under a label, which comes in as `this['label']`. */
export interface Copied {
  readonly label: string;
  readonly copy: unknown;
}
interface StoreCopied<S> extends Copied {
  readonly copy: Store<this['label'], S>;
}

/** A row at the other end of a link. */
export interface RowLink {
  readonly type: string;
  readonly key: string;
  /** The name of the link; of a link from a row, with the place in a list or an object: `services/0`. */
  readonly link: string;
}

/** Any store, whatever its name and state. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- a store of any state
export type AnyStore = Store<string, any>;

/** The state that a store holds. */
export type StateOf<T> = T extends Store<string, infer S> ? S : never;

/** What a copy of a store takes from the store that it is a copy of: what that one declares, now or later. */
export interface Original {
  /** The name of the store that was copied, and where that is a copy, too, of the one before it. */
  readonly names: readonly string[];
  readonly kept: PersistOptions<never> | undefined;
  readonly invariants: readonly Rule[];
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

/** The inside of a store, for the runtime and what is attached to it. */
export class StoreDefinition implements Source<unknown> {
  readonly id = nextId();
  readonly changes = new Map<string, Change[]>();
  private readonly whens: { readonly actions: Handled; readonly change: Change }[] = [];
  private declarations = 0;
  private readonly rules: Rule[] = [];
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
  ) {}

  /** What is kept between sessions, if anything is. */
  get kept(): PersistOptions<never> | undefined {
    return this.keeps ?? this.original?.kept;
  }

  /** Of a copy: the names of the stores that it is a copy of. */
  get copiedFrom(): readonly string[] {
    return this.original?.names ?? [];
  }

  get invariants(): readonly Rule[] {
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
    const known = this.changes.get(type);
    if (known) known.push(change);
    else this.changes.set(type, [change]);
    this.declarations++;
    declared++;
  }

  when(actions: Handled, change: Change): this {
    this.whens.push({ actions, change });
    this.declarations++;
    declared++;
    return this;
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
    if (this.names.has(key)) throw nameTaken(`The ${kind}`, full);
    this.names.add(key);
    return full;
  }

  addTask(task: DeclaredTask): void {
    this.ownTasks.push(task);
    this.declarations++;
    declared++;
  }

  get tasks(): readonly DeclaredTask[] {
    return this.ownTasks;
  }

  invariant(name: string, holds: (state: never) => boolean): this {
    this.rules.push({
      name: `${this.name}.${plainName(DEV ? `An invariant of '${this.name}'` : this.name, name)}`,
      holds,
    });
    return this;
  }

  edits(): Edits<string, unknown> {
    return (this.madeEdits ??= this.makeEdits());
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

/**
 * Development only: what is kept must be named as the state names it. Known when the state is: a store that begins with a
 * function gives it to each runtime.
 */
export function checkKept({ name, kept }: StoreDefinition, state: unknown): void {
  if (!DEV || !kept || !isContainer(state) || Array.isArray(state) || Object.keys(state).length === 0) return;
  for (const option of ['only', 'except'] as const)
    for (const place of kept[option] ?? []) {
      const [field] = place.startsWith('/') ? parsePointer(place) : [place];
      if (!hasOwn(state, field)) throw unknownField(`'${name}'.persisted: '${option}'`, field, Object.keys(state));
    }
}

/**
 * Where a store declares a table, a given state must have one: `structuredClone` and JSON make other objects of them.
 * @throws FLOE_BAD_SNAPSHOT with the place
 */
export function checkTables({ name, shape }: StoreDefinition, given: unknown): void {
  const look = (declared: unknown, found: unknown, path: string): void => {
    if (isKeyed(declared)) {
      if (!isKeyed(found))
        throw badSnapshot(
          `there is no table at ${path}, though the store '${name}' declares one there; a table survives neither structuredClone nor JSON, so hand over runtime.snapshot() itself or its text`,
        );
    } else if (isContainer(declared) && !Array.isArray(declared) && isContainer(found))
      for (const key of Object.keys(declared))
        if (hasOwn(found, key)) look(partOf(declared, key), partOf(found, key), `${path}/${escapeKey(key)}`);
  };
  look(shape, given, `/${name}`);
}

/** A rule that must hold after every transition. */
export interface Rule {
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

/** A store, for the type of its state. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- what a draft of the state looks like says nothing of the state
export type StoreOf<S> = Store<string, any> & Source<S>;

/**
 * The inside of a store.
 * @throws FLOE_NOT_A_STORE, FLOE_OTHER_COPY
 */
export function definitionOf(store: Source<unknown>): StoreDefinition {
  if (!((store as unknown) instanceof StoreDefinition)) throw foreign(store) ?? notAStore(store);
  return store as unknown as StoreDefinition;
}
