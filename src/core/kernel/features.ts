// The features of a runtime: each is installed once, with the first definition, option or call that needs it.
import { endlessLoop } from '../base/errors.js';
import { DEV } from '../base/mode.js';
import { foreign } from '../base/protocol.js';
import type { AnyAction } from '../model/action.js';
import type { DeclaredTask } from '../model/triggers.js';
import { currentReader } from '../reactive/graph.js';
import { untracked } from './adapter.js';
import { checkFeature } from './feature-check.js';
import type { Hooks } from './hooks.js';
import type { Notifications } from './notifications.js';
import type { Transaction } from './transaction.js';
import type { Transition } from './transition.js';
import type { Views } from './view.js';

type CheckHook = Required<Pick<Hooks, 'check'>>;
type AfterHook = Required<Pick<Hooks, 'after'>>;

/** A longer chain, in which a feature dispatches after each action of its own, is taken for an endless loop. */
const MOST_NESTED = 100;

/** What features need of the kernel. */
export interface FeaturesHost {
  readonly computing: { readonly inside: string };
  readonly notifications: Notifications;
  readonly transactions: { current: Transaction | undefined };
  readonly views: Views;
  problem(error: unknown, transition?: Transition, action?: AnyAction): void;
}

/** @typeParam Kernel what a feature is installed in */
export class Features<Kernel extends FeaturesHost> {
  private readonly installed = new Map<{ readonly name: string }, Hooks>();
  private travel: Pick<Hooks, 'leavePast' | 'isMoving'> | undefined;
  private readonly afterHooks: { readonly hooks: AfterHook; readonly name: string }[] = [];
  /** The types of the actions whose `after` hooks are under way, the outermost first. */
  private readonly types: string[] = [];
  /** The features that may refuse an action. */
  readonly checks: CheckHook[] = [];
  /** The feature that has to see every action, while there is one; the fast way does without. */
  attending: Pick<Hooks, 'committing' | 'stated'> | undefined;
  /** The transition that the `after` hooks look at now: what they dispatch comes of it. */
  of: Transition | undefined;

  constructor(private readonly kernel: Kernel) {}

  /** Installs a feature, once a runtime. */
  use<H extends Hooks>(feature: { readonly name: string; install(kernel: Kernel): H }): H {
    const known = this.installed.get(feature);
    if (known) return known as H;
    const other = foreign(feature);
    if (other) throw other;
    const hooks = feature.install(this.kernel);
    if (DEV) checkFeature(feature, hooks, this.installed.keys());
    this.installed.set(feature, hooks);
    if (hooks.after) this.afterHooks.push({ hooks: hooks as AfterHook, name: feature.name });
    if (hooks.leavePast) this.travel = hooks;
    if (hooks.check) this.checks.push(hooks as CheckHook);
    return hooks;
  }

  /** Tells every feature. An error of one is reported, and the others are still told. */
  each(tell: (hooks: Hooks) => void): void {
    for (const hooks of this.installed.values()) {
      try {
        tell(hooks);
      } catch (error) {
        this.kernel.problem(error);
      }
    }
  }

  [Symbol.iterator](): Iterator<Hooks> {
    return this.installed.values();
  }

  /** The first result that a feature gives. */
  first<T>(ask: (hooks: Hooks) => T | undefined): T | undefined {
    for (const hooks of this.installed.values()) {
      const result = ask(hooks);
      if (result !== undefined) return result;
    }
    return undefined;
  }

  /** What features keep for when a transaction fails that begins now. A feature that is installed later is in none. */
  savepoint(): ReadonlyMap<object, unknown> {
    return new Map(Array.from(this.installed.values(), (hooks) => [hooks, hooks.savepoint?.()]));
  }

  /** The cursor moves: watchers are notified of states of another time. */
  get isMoving(): boolean {
    return this.travel?.isMoving === true;
  }

  /**
   * The application does something: where the past is shown, a branch begins there. A transaction in the past begins its branch
   * with its first dispatch: nothing was done in it before.
   */
  leavePast(): void {
    const { views, transactions } = this.kernel;
    if (!views.showsPast) return;
    const { current } = transactions;
    transactions.current = undefined;
    try {
      this.travel?.leavePast!();
    } finally {
      transactions.current = current;
      for (let one = current; one; one = one.outer) one.savepoint = this.savepoint();
    }
  }

  /** The last stage of an action: features look at what happened, and may begin something. */
  afterwards(action: AnyAction, transition: Transition | undefined, tasks: readonly DeclaredTask[]): void {
    if (tasks.length > 0) this.useOf(tasks[0]);
    if (this.afterHooks.length === 0) return;
    const { transactions, views, notifications } = this.kernel;
    // The work that begins is the application's: it finds what is shown.
    if (transactions.current) return void transactions.current.after.push({ action, tasks, transition });
    views.outside(() => untracked(notifications.adapters, () => this.runAfter(action, tasks, transition)));
  }

  private runAfter(action: AnyAction, tasks: readonly DeclaredTask[], transition: Transition | undefined): void {
    const { kernel, types, of: outer } = this;
    types.push(action.type);
    try {
      for (const { hooks, name } of this.afterHooks) {
        if (types.length > MOST_NESTED)
          return kernel.notifications.fault(endlessLoop([...new Set(types)], `The feature '${name}'`));
        this.of = transition ?? outer;
        try {
          hooks.after(action, tasks, transition);
        } catch (error) {
          kernel.problem(error, transition, action);
        }
      }
    } finally {
      types.pop();
      this.of = outer;
    }
  }

  /** Tasks that begin by themselves: not inside a selector that was the first to read their store. */
  startTasks(tasks: readonly DeclaredTask[]): void {
    if (tasks.length === 0) return;
    const start = (): void => this.useOf(tasks[0]).begin?.(tasks);
    if (this.kernel.computing.inside || currentReader()) void Promise.resolve().then(start);
    else start();
  }

  /** What a task names as its feature. */
  private useOf({ feature }: DeclaredTask): Hooks {
    return this.use(feature as { readonly name: string; install(kernel: Kernel): Hooks });
  }
}
