// Which actions something handles, and what tasks declare about that: known to a runtime without what runs tasks.
import type { About, AnyCreator } from './action.js';
import type { StoreDefinition } from './store.js';

/** Says which actions are handled: a creator, a list of them, or a function that gives them. */
export type Handled = AnyCreator | readonly AnyCreator[] | (() => AnyCreator | readonly AnyCreator[]);

/** The payload of what is handled, as a list of one argument or none. */
export type PayloadOf<C> = C extends AnyCreator
  ? Parameters<C>
  : C extends readonly (infer I extends AnyCreator)[]
    ? OneOf<Parameters<I>>
    : C extends () => infer R
      ? PayloadOf<R>
      : never;

/** Of creators with a payload and others without one: it may be missing. A handler that takes none fits as well. */
type OneOf<A extends readonly unknown[]> = [] extends A
  ? [A] extends [readonly []]
    ? []
    : [payload?: Exclude<A, readonly []>[0]]
  : A;

/** The creators of the actions that are handled. */
export function creatorsOf(handled: Handled): readonly AnyCreator[] {
  const named = typeof handled === 'function' && !('type' in handled) ? handled() : handled;
  return Array.isArray(named) ? (named as readonly AnyCreator[]) : [named as AnyCreator];
}

/** The types of the actions that are handled. */
export const typesOf = (handled: Handled): readonly string[] => creatorsOf(handled).map(({ type }) => type);

export const handlesType = (handled: Handled, type: string): boolean => typesOf(handled).includes(type);

/** What a runtime has to know of a task before it runs one. */
export interface DeclaredTask {
  readonly name: string;
  readonly options: { readonly when?: Handled; readonly atStart?: boolean; readonly about?: About };
  /** The store that it was declared beside, if it was. */
  readonly store: StoreDefinition | undefined;
  /** What runs it (a `Feature`): a runtime installs it with the first task that it meets. */
  readonly feature: object;
}

/** Tasks that belong to no store and handle actions, wherever those are dispatched. */
export const freeTasks: DeclaredTask[] = [];

/** Goes up with every task that is declared without a store. */
export let freeVersion = 0;

/** Declares a task without a store. A reloaded module declares it once more: the newer one takes the place of the older. */
export function addFreeTask(task: DeclaredTask): void {
  const known = freeTasks.findIndex(({ name }) => name === task.name);
  freeTasks.splice(known < 0 ? freeTasks.length : known, 1, task);
  freeVersion++;
}

/** Whether an action of a type starts a task. */
export const startsWith = ({ options }: DeclaredTask, type: string): boolean =>
  options.when !== undefined && handlesType(options.when, type);
