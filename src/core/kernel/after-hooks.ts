// The last stage of an action: features look at what happened, and may begin something.
import { endlessLoop } from '../base/errors.js';
import type { AnyAction } from '../model/action.js';
import type { DeclaredTask } from '../model/triggers.js';
import type { Feature, Hooks } from './feature.js';
import type { Transition } from './transition.js';

type After = Required<Pick<Hooks, 'after'>>;

/** A longer chain, in which a feature dispatches after each action of its own, is taken for an endless loop. */
const MOST_NESTED = 100;

/** What the hooks need of the kernel. */
export interface AfterHost {
  problem(error: unknown, transition?: Transition, action?: AnyAction): void;
  readonly notifications: { fault(error: unknown): void };
}

export class AfterHooks {
  /** The transition that the hooks look at now: what they dispatch comes of it. */
  of: Transition | undefined;
  private readonly all: { readonly hooks: After; readonly name: string }[] = [];
  /** The types of the actions whose hooks are under way, the outermost first. */
  private readonly types: string[] = [];

  constructor(private readonly host: AfterHost) {}

  get isEmpty(): boolean {
    return this.all.length === 0;
  }

  add({ name }: Feature, hooks: After): void {
    this.all.push({ hooks, name });
  }

  run(action: AnyAction, tasks: readonly DeclaredTask[], transition: Transition | undefined): void {
    const { host, types, of: outer } = this;
    types.push(action.type);
    try {
      for (const { hooks, name } of this.all) {
        if (types.length > MOST_NESTED) {
          host.notifications.fault(endlessLoop([...new Set(types)], `The feature '${name}'`));
          return;
        }
        this.of = transition ?? outer;
        try {
          hooks.after(action, tasks, transition);
        } catch (error) {
          host.problem(error, transition, action);
        }
      }
    } finally {
      types.pop();
      this.of = outer;
    }
  }
}
