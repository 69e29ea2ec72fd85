// floe: stores, actions, selectors and the runtime that brings them to life.
export { store } from './model/store.js';
export { at } from './model/part.js';
export { copyOf } from './model/copy.js';
export { action } from './model/action.js';
export { selector } from './model/source.js';
export { task } from './features/tasks/task.js';
export { need } from './features/tasks/need.js';
export { createRuntime, defaultRuntime, featureIn } from './runtime.js';
export { actionLog, confirmation } from './features/interceptors.js';
export { snapshotText, parseSnapshot } from './features/snapshot-text.js';
export { applyPatch } from './data/patch.js';
export { FloeError } from './base/errors.js';

export type { Change } from './model/store.js';
export type { Store, StateOf, PersistOptions, Conflict, Edits } from './model/store-types.js';
export type {
  AnyAction,
  ActionAbout,
  ActionCreator,
  ActionMaker,
  Dispatchable,
  ActionOf,
  ActionOptions,
  About,
  AnyCreator,
  StateReader,
} from './model/action.js';
export type { PartAt } from './model/part.js';
export type { CopyOf, Its } from './model/copy.js';
export type { Source, Selector, SelectorOptions, Equality, Read, Recipe } from './model/source.js';
export type { Runtime, Attached } from './runtime.js';
export type { RuntimeOptions } from './runtime-options.js';
export type { AnyStore } from './model/store-types.js';
export type { Feature, Extensible } from './kernel/feature.js';
export type { Hooks } from './kernel/hooks.js';
export type { CellChange } from './kernel/cell.js';
export type { Transition, Cause, StoreChange } from './kernel/transition.js';
export type { Clock, Problem } from './kernel/options.js';
export type { DispatchResult } from './model/action.js';
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
export type { Need, NeedOutcomes, Given, CallOutcome, Outcomes } from './features/tasks/need.js';
export type { Handled, PayloadOf } from './model/triggers.js';
export type { Watching } from './reactive/watcher.js';
export type { Selection, Observer } from './reading/selection.js';
export type { ActionLogOptions } from './features/interceptors.js';
export type { Interceptor, InterceptorTools } from './kernel/interceptor.js';
export type { Patch, PatchOperation } from './data/patch.js';
export type { Draft } from './draft/types.js';
export type { Actor, Outcome, FactName, RunNote } from './kernel/transition.js';
export type { Attachment, StoragePlaces } from './kernel/attachment.js';
