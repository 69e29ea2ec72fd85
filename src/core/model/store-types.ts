// Stores as an application sees them.
import type { StandardSchemaV1 } from '@standard-schema/spec';
import type { ActionCreator, ActionOptions } from './action.js';
import type { Draft } from '../draft/types.js';
import type { Selector, SelectorOptions, Source } from './source.js';
import type { Handled, PayloadOf } from './triggers.js';

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

/** A store, for the type of its state. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- what a draft of the state looks like says nothing of the state
export type StoreOf<S> = Store<string, any> & Source<S>;
