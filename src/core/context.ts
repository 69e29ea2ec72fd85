// What a run works with.
import type { AnyAction, AnyCreator } from './action.js';
import type { CancelSignal } from './host.js';
import type { DispatchResult } from './runtime.js';
import { MOST_SEEN, typesOf, type Runs } from './runs.js';
import type { TaskRun } from './run.js';
import type { Read, Source } from './source.js';
import { callOf, type Need, type Optimistic, type Run, type TaskCall, type TaskContext } from './task.js';

const ignore = (): void => undefined;

export const contextOf = (runs: Runs, run: TaskRun): TaskContext => new Context(runs, run) as unknown as TaskContext;

/** Each member is made when it is asked for, already bound: most runs use two or three of them. */
class Context {
  constructor(
    private readonly runs: Runs,
    private readonly run_: TaskRun,
  ) {}

  get dispatch(): (action: AnyAction) => DispatchResult {
    const { runs, run_ } = this;
    return (action) => runs.host.dispatchBy(run_, action);
  }
  get read(): Read {
    const { host } = this.runs;
    return ((source: Source<unknown>) => host.readLive(source)) as Read;
  }
  get atomic(): <T>(fn: () => T) => T {
    const { runs, run_ } = this;
    return (fn) => runs.host.atomicBy(run_, fn);
  }
  get run(): (call: TaskCall<unknown>) => Run<unknown> {
    const { runs, run_ } = this;
    return (call) => runs.start(callOf(call), { by: 'task', run: run_.id }, run_);
  }
  get use(): (need: Need<unknown>) => unknown {
    const { runs, run_ } = this;
    return (need) => runs.host.answerTo(need, run_.task.name);
  }
  get signal(): CancelSignal {
    return this.run_.signal as CancelSignal;
  }
  get sleep(): (ms: number) => Promise<void> {
    const { runs, run_ } = this;
    return (ms) => awaited(run_, (resolve) => runs.host.after(ms, () => resolve(undefined))) as Promise<void>;
  }
  get next(): (actions: AnyCreator | readonly AnyCreator[]) => Promise<AnyAction> {
    const { runs, run_ } = this;
    return (actions) => {
      const types = typesOf(actions);
      return awaited(run_, (resolve) => runs.listen(types, resolve)) as Promise<AnyAction>;
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
    return () => this.saw('now', this.runs.host.now());
  }
  get random(): () => number {
    return () => this.saw('random', this.runs.host.random());
  }

  private saw(what: 'now' | 'random', value: number): number {
    const { runs, run_ } = this;
    if (runs.host.recorded && (run_.saw ??= []).length < MOST_SEEN) run_.saw.push([what, value]);
    return value;
  }
}

/** A promise of something that comes once, unless the run is cancelled before. */
function awaited(run: TaskRun, begin: (resolve: (value: unknown) => void) => () => void): Promise<unknown> {
  const promise = new Promise<unknown>((resolve, reject) => {
    let stop = ignore;
    const over = run.await({ stop: () => stop(), reject });
    if (run.ended) return;
    stop = begin((value) => {
      over();
      stop();
      resolve(value);
    });
  });
  // It may stand in a race that is over: then nobody waits for it.
  promise.catch(ignore);
  return promise;
}

/** All actions of some types from now on, kept until they are asked for. */
function eachOf(runs: Runs, run: TaskRun, types: readonly string[]): AsyncIterableIterator<AnyAction> {
  const kept: AnyAction[] = [];
  let wanted: { resolve(result: IteratorResult<AnyAction>): void; reject(error: unknown): void } | undefined;
  let error: unknown;
  let done = false;
  const stopListening = runs.listen(types, (action) => {
    if (!wanted) return void kept.push(action);
    wanted.resolve({ done: false, value: action });
    wanted = undefined;
  });
  const stop = (): void => {
    done = true;
    kept.length = 0;
    stopListening();
  };
  const over = run.await({
    stop,
    reject(reason) {
      error = reason;
      wanted?.reject(reason);
    },
  });
  return {
    [Symbol.asyncIterator]() {
      return this;
    },
    next: () =>
      new Promise((resolve, reject) => {
        if (error !== undefined) reject(error);
        else if (kept.length > 0) resolve({ done: false, value: kept.shift()! });
        else if (done) resolve({ done: true, value: undefined });
        else wanted = { resolve, reject };
      }),
    return: () => {
      stop();
      over();
      wanted?.resolve({ done: true, value: undefined });
      return Promise.resolve({ done: true, value: undefined });
    },
  };
}
