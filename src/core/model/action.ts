import { badName, notAnAction } from '../base/errors.js';
import { DEV } from '../base/mode.js';
import { guardData } from '../data/guard.js';
import type { StoreDefinition } from './store.js';
import type { StoreOf } from './store-types.js';

/** Something that happened: a type, and a payload where there is more to say. Plain and serialisable. */
export interface AnyAction {
  readonly type: string;
  readonly payload?: unknown;
}

/** What became of a dispatched action, as far as `dispatch` can tell. */
export type DispatchResult = 'applied' | 'unchanged' | 'stopped' | 'waiting' | 'queued';

/** What `dispatch` takes: any action, but not its creator. */
export type Dispatchable = AnyAction & { readonly made?: 'Call the action creator: dispatch(creator(payload))' };

/** The action of a creator that takes `A`. */
export type ActionOf<T extends string, A extends readonly unknown[]> = A extends readonly []
  ? { readonly type: T }
  : { readonly type: T; readonly payload: A[0] };

/** Data about an action for interceptors and tools, for example `{ confirm: 'Cancel this visit?' }`. */
export type About = Readonly<Record<string, unknown>>;

/** Gives the state of a store; it takes no selector, since what it reads may be long past. */
export type StateReader = <S>(store: StoreOf<S>) => S;

/** What can be said about an action that takes `A`, when it is declared. */
export interface ActionOptions<A extends readonly unknown[] = readonly unknown[]> {
  /** Data for interceptors and tools. Default: none. */
  readonly about?: ActionAbout<A>;
}

/** Data for interceptors and tools; the members that are declared here are for tools that show steps. */
export interface ActionAbout<A extends readonly unknown[] = readonly unknown[]> {
  /**
   * What happened, as the end of a sentence in the past tense: "assigned N4 to Corran Bell". A function is given the
   * payload and reads states as they were before the action; a tool calls it when it shows or saves the step, and a
   * dispatch never does. Default: tools name the type.
   * @example
   * about: { title: ({ id, berth }, before) => `assigned ${berth} to ${before(vessels).names[id]}` }
   */
  readonly title?: string | ((payload: A[0], before: StateReader) => string);
  /** What it means that the action is confirmed, as a sentence: "the office confirmed it". Default: "confirmed". */
  readonly confirmed?: string;
  /** What it means that the action is reverted, as a sentence: "the office refused it". Default: "reverted". */
  readonly reverted?: string;
  readonly [more: string]: unknown;
}

/** Makes actions of one type. Arguments beyond the payload are dropped, so it can be a handler as it is. */
export interface ActionCreator<T extends string = string, A extends readonly unknown[] = never> {
  (...payload: A): ActionOf<T, A>;
  /** The type of its actions, `'store.action'`. */
  readonly type: T;
  /** What was declared about it. */
  readonly about: About | undefined;
  /** Whether an action is one of this creator's; narrows its type. */
  made(action: AnyAction): action is ActionOf<T, A>;
  /** @internal The store that declared it, and whether it takes a payload: for copies of that store. */
  readonly store?: StoreDefinition | undefined;
  /** @internal */
  readonly takes?: boolean;
}

/** What makes actions of one type: a creator, or a function that takes more than a payload. */
export interface ActionMaker<A extends readonly unknown[]> {
  (...args: A): AnyAction;
  readonly type: string;
}

/** Any action creator, whatever its payload. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- a creator of any payload
export type AnyCreator = ActionCreator<string, any>;

/** The creator that made an action. Stands on the action's prototype, so the action itself stays plain. */
const MAKER: unique symbol = Symbol('floe.maker');

/** The creator that made an action; none when the action was written by hand or came out of a file. */
export const makerOf = (action: object): AnyCreator | undefined => (action as { [MAKER]?: AnyCreator })[MAKER];

/** A creator for `type`; `takes` says whether an argument goes into the action. */
export function makeCreator(
  type: string,
  takes: boolean,
  store: StoreDefinition | undefined,
  options?: ActionOptions,
): AnyCreator {
  // As plain as an object of another realm: it has all that objects inherit, and is taken for data wherever data is.
  const prototype = Object.create(null, Object.getOwnPropertyDescriptors(Object.prototype)) as object;
  // A constructor a creator keeps its actions in one shape, and `payload` is there only where there is one.
  function Made(this: { type: string }): void {
    this.type = type;
  }
  function MadeWith(this: { type: string; payload: unknown }, payload: unknown): void {
    this.type = type;
    this.payload = payload;
  }
  Made.prototype = MadeWith.prototype = prototype;
  const bare = Made as unknown as new () => AnyAction;
  const full = MadeWith as unknown as new (payload: unknown) => AnyAction;
  const create = takes
    ? (payload?: unknown) => (payload === undefined ? new bare() : new full(payload))
    : () => new bare();
  const creator = Object.assign(create, {
    type,
    about: options?.about,
    store,
    takes,
    made: (action: AnyAction) => action.type === type,
  }) as unknown as AnyCreator;
  Object.defineProperty(prototype, MAKER, { value: creator });
  return creator;
}

/**
 * Declares an action that belongs to no store; stores handle it with `store.when`.
 * @example
 * const shiftEnded = action('shiftEnded');
 * const noticeGiven = action<{ text: string }>('noticeGiven');
 */
export function action<P = void>(
  type: string,
  options?: ActionOptions<[P] extends [void] ? [] : [payload: P]>,
): ActionCreator<string, [P] extends [void] ? [] : [payload: P]> {
  if (typeof type !== 'string' || type === '') throw badName('An action', type);
  const creator = makeCreator(type, true, undefined, options as ActionOptions | undefined);
  // Only its type says whether it has a payload, so as a handler it would be handed an event: that never becomes one.
  const create = (payload?: unknown): AnyAction => (isEvent(payload) ? creator() : creator(payload));
  return Object.assign(create, { type, about: creator.about, made: creator.made }) as never;
}

const isEvent = (value: unknown): boolean =>
  typeof (value as { preventDefault?: unknown } | null | undefined)?.preventDefault === 'function';

/**
 * Whether a change declares a second parameter. Its `length` does not count one with a default, so then its text is
 * looked at: is there a comma between the parentheses of its parameters?
 */
export function takesPayload(change: (...args: never[]) => unknown): boolean {
  if (change.length > 1) return true;
  const text = String(change).replace(/\/\*[^]*?\*\/|\/\/.*/g, '');
  if (/^[^(=]*\(\s*\.\.\./.test(text)) return true;
  let depth = 0;
  for (let i = 0; i < text.length; i++) {
    const letter = text[i];
    if (depth === 0 && text.startsWith('=>', i)) return false;
    if ('([{'.includes(letter)) depth++;
    else if (')]}'.includes(letter)) {
      if (--depth === 0) return false;
    } else if (letter === ',' && depth === 1) return /^\s*[^\s)]/.test(text.slice(i + 1));
  }
  return false;
}

/**
 * Checks what is dispatched, which belongs to the runtime from then on: development freezes it.
 * @throws FLOE_NOT_AN_ACTION, FLOE_NOT_PLAIN_DATA
 */
export function checkAction(action: AnyAction): void {
  if (typeof action !== 'object' || action === null || typeof action.type !== 'string') throw notAnAction(action);
  if (!DEV) return;
  guardData(action.payload, { at: '', what: `The payload of '${action.type}'` });
  Object.freeze(action);
}
