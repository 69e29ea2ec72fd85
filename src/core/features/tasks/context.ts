// What a run works with.
import { probe } from '../../reactive/probe.js';
import { readLive } from '../../kernel/states.js';
import type { AnyAction, AnyCreator } from '../../model/action.js';
import { milliseconds, type CancelSignal } from '../../base/host.js';
import type { DispatchResult } from '../../model/action.js';
import { typesOf } from '../../model/triggers.js';
import { DEV } from '../../base/mode.js';
import type { TaskRun } from './run.js';
import type { Cause, Transition } from '../../kernel/transition.js';
import type { Read } from '../../model/source.js';
import { callOf, type Call } from './definition.js';
import type { Need } from './need.js';
import type { ActionListeners, ActionListener } from './action-listeners.js';
import type { RunHost } from './run-host.js';
import type { Optimistic, Run, TaskCall, TaskContext } from './types.js';

/** As many values that a run saw are recorded. */
const MOST_SEEN = 100;

/** What a context needs of the runs. */
export interface ContextHost {
  readonly host: RunHost;
  start(call: Call, cause: Cause, parent: TaskRun): Run<unknown>;
  readonly listeners: ActionListeners;
}

const ignore = (): void => undefined;

export const contextOf = (runs: ContextHost, run: TaskRun): TaskContext =>
  new Context(runs, run) as unknown as TaskContext;

/** Each member is made when it is asked for, already bound: most runs use two or three of them. */
class Context {
  constructor(
    private readonly runs: ContextHost,
    private readonly run_: TaskRun,
  ) {}

  get dispatch(): (action: AnyAction) => DispatchResult {
    const { runs, run_ } = this;
    return (action) => runs.host.dispatchBy(run_, action);
  }
  get read(): Read {
    const { host } = this.runs;
    return readLive(host.kernel);
  }
  get atomic(): <T>(fn: () => T) => T {
    const { runs, run_ } = this;
    return (fn) => runs.host.atomicBy(run_, fn);
  }
  get run(): (call: TaskCall<unknown>) => Run<unknown> {
    const { runs, run_ } = this;
    return (call) => runs.start(callOf(call), run_.cause, run_);
  }
  get use(): (need: Need<unknown>) => unknown {
    const { runs, run_ } = this;
    return (need) => {
      if (DEV && probe) (run_.used ??= new Set()).add(need.name);
      return runs.host.dependencyOf(need, run_.task.name);
    };
  }
  get signal(): CancelSignal {
    return this.run_.signal as CancelSignal;
  }
  get sleep(): (ms: number) => Promise<void> {
    const { runs, run_ } = this;
    return (ms) => {
      const wait = milliseconds('sleep', ms);
      return awaited(run_, DEV && `${wait} ms`, (resolve) =>
        runs.host.kernel.after(wait, () => resolve(undefined)),
      ) as Promise<void>;
    };
  }
  get next(): (actions: AnyCreator | readonly AnyCreator[]) => Promise<AnyAction> {
    const { runs, run_ } = this;
    return (actions) => {
      const types = typesOf(actions);
      return awaited(run_, DEV && types.join(' or '), (resolve) =>
        runs.listeners.add(types, resolve),
      ) as Promise<AnyAction>;
    };
  }
  get each(): (actions: AnyCreator | readonly AnyCreator[]) => AsyncIterableIterator<AnyAction> {
    const { runs, run_ } = this;
    return (actions) => eachOf(runs, run_, typesOf(actions));
  }
  get optimistic(): (action: AnyAction) => Optimistic {
    const { runs, run_ } = this;
    return (action) => runs.host.optimisticBy(run_, action);
  }
  get now(): () => number {
    return () => this.saw('now', this.runs.host.kernel.now());
  }
  get random(): () => number {
    return () => this.saw('random', this.runs.host.kernel.random());
  }

  private saw(what: 'now' | 'random', value: number): number {
    const { runs, run_ } = this;
    if (runs.host.kernel.recorder && (run_.saw ??= []).length < MOST_SEEN) run_.saw.push([what, value]);
    return value;
  }
}

/** A promise of something that comes once, unless the run is cancelled before. */
function awaited(
  run: TaskRun,
  what: string | false,
  begin: (resolve: (value: unknown, of?: Transition) => void) => () => void,
): Promise<unknown> {
  const promise = new Promise<unknown>((resolve, reject) => {
    let stop = ignore;
    const came = run.await({ stop: () => stop(), reject, ...(DEV && { what }) });
    if (run.ended) return;
    stop = begin((value, of) => {
      stop();
      came(() => resolve(value), of);
    });
  });
  // It may stand in a race that is over: then nothing waits for it.
  promise.catch(ignore);
  return promise;
}

/** All actions of some types from now on, kept until they are asked for. */
function eachOf(runs: ContextHost, run: TaskRun, types: readonly string[]): AsyncIterableIterator<AnyAction> {
  const kept: Parameters<ActionListener>[] = [];
  /** Those that asked and wait, in their order. */
  const asking: ((action: AnyAction | undefined, of?: Transition) => void)[] = [];
  let done = false;
  const stopListening = runs.listeners.add(types, (action, transition) => {
    const ask = asking.shift();
    if (ask) ask(action, transition);
    else kept.push([action, transition]);
  });
  const stop = (): void => {
    done = true;
    kept.length = 0;
    stopListening();
  };
  const keepOn = run.whenEnded(stop);
  const resultOf = (action: AnyAction | undefined): IteratorResult<AnyAction> =>
    action ? { done: false, value: action } : { done: true, value: undefined };
  return {
    [Symbol.asyncIterator]() {
      return this;
    },
    next() {
      if (done && run.phase !== 'cancelled') return Promise.resolve(resultOf(undefined));
      return awaited(run, DEV && types.join(' or '), (resolve) => {
        const ask = (action: AnyAction | undefined, of?: Transition): void => resolve(resultOf(action), of);
        const item = kept.shift();
        if (item) {
          // A turn later, when it is waited for.
          void Promise.resolve().then(() => ask(...item));
          return ignore;
        }
        asking.push(ask);
        return () => {
          const index = asking.indexOf(ask);
          if (index >= 0) asking.splice(index, 1);
        };
      }) as Promise<IteratorResult<AnyAction>>;
    },
    return() {
      stop();
      keepOn();
      for (const ask of asking.splice(0)) ask(undefined);
      return Promise.resolve(resultOf(undefined));
    },
  };
}
