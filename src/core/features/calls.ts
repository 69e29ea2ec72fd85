// What components call: functions that are tied to one runtime.
import type { ActionMaker, AnyAction, DispatchResult } from '../model/action.js';
import type { Run, Task, TaskCall } from './tasks/types.js';

/** A function that makes an action and dispatches it. */
export const dispatcherOf =
  <A extends readonly unknown[]>(
    { dispatch }: { readonly dispatch: (action: AnyAction) => DispatchResult },
    creator: ActionMaker<A>,
  ): ((...payload: A) => DispatchResult) =>
  (...payload) =>
    dispatch(creator(...payload));

/** A function that runs a task. */
export const runnerOf =
  <A extends readonly unknown[], T>(
    { run }: { readonly run: <R>(call: TaskCall<R>) => Run<R> },
    task: Task<A, T>,
  ): ((...args: A) => Run<T>) =>
  (...args) =>
    run(task(...args));
