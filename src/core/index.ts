// floe: stores, actions, selectors and the runtime that brings them to life.
export { store, at } from './store.js';
export { action } from './action.js';
export { selector } from './source.js';
export { task } from './features/tasks/task.js';
export { need } from './features/tasks/need.js';
export { createRuntime, defaultRuntime } from './runtime.js';
export { actionLog, confirmation } from './interceptor.js';
export { snapshotText, parseSnapshot } from './snapshot-text.js';
export { applyPatch } from './patch.js';
export { FloeError } from './errors.js';

export type { Store, StateOf, Change, PersistOptions, Conflict, Edits, PartAt, Answered } from './store.js';
export type {
  AnyAction,
  ActionAbout,
  ActionCreator,
  ActionOf,
  ActionOptions,
  About,
  AnyCreator,
  StateReader,
} from './action.js';
export type { Source, Selector, SelectorOptions, Equality, Read, Recipe } from './source.js';
export type { Runtime, RuntimeOptions, Attached, AnyStore, Clock, DispatchResult, Problem } from './runtime.js';
export type {
  Task,
  TaskCall,
  TaskContext,
  TaskOptions,
  TaskStatus,
  TaskAbout,
  TaskError,
  AnyTask,
  Run,
  Overlap,
  Optimistic,
  Work,
} from './features/tasks/types.js';
export type { Need, Given } from './features/tasks/need.js';
export type { Handled, PayloadOf } from './handled.js';
export type { Watching } from './watcher.js';
export type { Selection, Observer } from './selection.js';
export type { ActionLogOptions, Interceptor, InterceptorTools } from './interceptor.js';
export type { Patch, PatchOperation } from './patch.js';
export type { Draft } from './draft.js';
export type { Actor, Attachment, StoragePlaces, Outcome, FactName, RunNote } from './kernel/transition.js';
