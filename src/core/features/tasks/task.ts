// Declares tasks: work over time.
import { addFreeTask, type Handled } from '../../model/triggers.js';
import { badName, badOption } from '../../base/errors.js';
import { DEV } from '../../base/mode.js';
import { checkChoice, checkOptions } from '../../base/options.js';
import type { Read } from '../../model/source.js';
import { definitionOf, plainName } from '../../model/store.js';
import type { AnyStore } from '../../model/store-types.js';
import { TaskDefinition } from './definition.js';
import { tasks } from './feature.js';
import type { OverlapBy, Task, TaskCall, TaskOptions, WhenOptions, Work } from './types.js';

const TASK_OPTIONS = ['overlap', 'overlapBy', 'retry', 'when', 'atStart', 'unless', 'keep', 'about'];

/** Development only: what is misspelt, and what no run could use. */
function checkTaskOptions(name: string, options: TaskOptions<never[]>): void {
  if (!DEV) return;
  const what = `The task '${name}'`;
  checkOptions(what, options, TASK_OPTIONS);
  checkChoice(what, 'overlap', options.overlap, ['replace', 'queue', 'ignore', 'share', 'allow']);
  checkOptions(`${what}, retry`, options.retry, ['times', 'wait']);
  const { keep = 0 } = options;
  if (!(keep >= 0)) throw badOption(what, 'keep', 'is a number from 0 on');
}

/**
 * Declares a task that belongs to no store. Say what is to be done, in the imperative.
 * @param run does the work; what it returns is the result of the run
 * @example
 * const signIn = task('signIn', async ({ use, dispatch }, name: string) => {
 *   dispatch(signedIn(await use(office).signIn(name)));
 * });
 */
export function task<A extends readonly unknown[], T, const C extends Handled, B extends OverlapBy<A> = OverlapBy<A>>(
  name: string,
  run: Work<A, T>,
  options: WhenOptions<A, C> & { readonly overlapBy?: B },
): Task<A, T, Parameters<B>>;
export function task<A extends readonly unknown[], T, B extends OverlapBy<A> = OverlapBy<A>>(
  name: string,
  run: Work<A, T>,
  options: TaskOptions<A> & { readonly overlapBy?: B; readonly unless: (read: Read, ...args: A) => unknown },
): Task<A, T | undefined, Parameters<B>>;
export function task<A extends readonly unknown[], T, B extends OverlapBy<A> = OverlapBy<A>>(
  name: string,
  run: Work<A, T>,
  options?: Omit<TaskOptions<A>, 'when'> & { readonly overlapBy?: B },
): Task<A, T, Parameters<B>>;
/**
 * Declares a task beside a store.
 * @example
 * const loadVisits = task(visits, 'load', async ({ use, dispatch, signal }, day: string) => {
 *   dispatch(visitsArrived(await use(office).visits(day, { signal })));
 * }, { overlap: 'replace' });
 */
export function task<A extends readonly unknown[], T, const C extends Handled, B extends OverlapBy<A> = OverlapBy<A>>(
  store: AnyStore,
  name: string,
  run: Work<A, T>,
  options: WhenOptions<A, C> & { readonly overlapBy?: B },
): Task<A, T, Parameters<B>>;
export function task<A extends readonly unknown[], T, B extends OverlapBy<A> = OverlapBy<A>>(
  store: AnyStore,
  name: string,
  run: Work<A, T>,
  options: TaskOptions<A> & { readonly overlapBy?: B; readonly unless: (read: Read, ...args: A) => unknown },
): Task<A, T | undefined, Parameters<B>>;
export function task<A extends readonly unknown[], T, B extends OverlapBy<A> = OverlapBy<A>>(
  store: AnyStore,
  name: string,
  run: Work<A, T>,
  options?: Omit<TaskOptions<A>, 'when'> & { readonly overlapBy?: B },
): Task<A, T, Parameters<B>>;
export function task(...given: unknown[]): unknown {
  const store = typeof given[0] === 'object' ? definitionOf(given.shift() as AnyStore) : undefined;
  const [name, work, options = {}] = given as [string, Work<never[], unknown>, TaskOptions<never[]>?];
  const full = store ? store.nameOf('task', name) : plainName('A task', name);
  if (typeof work !== 'function') throw badName(`The work of the task '${full}'`, work);
  checkTaskOptions(full, options);
  const definition = new TaskDefinition(full, { work, store, feature: tasks }, options);
  const call = (...args: unknown[]): TaskCall<unknown> => ({ task: definition, args });
  Object.defineProperty(call, 'name', { value: full });
  if (store) store.addTask(definition);
  else if (options.when) addFreeTask(definition);
  return Object.assign(call, { definition, status: definition.status, statusOf: definition.statusOf });
}
