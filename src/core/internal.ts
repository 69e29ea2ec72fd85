// What the other parts of Floe use of the core besides its public entry. Nothing else of the core is imported from outside.
export { ATTACH, DERIVATION, SOURCE, foreign } from './base/protocol.js';
export { FloeError, badName, brokenRule, badOption, badTime, draftEnded, messageOf, nearest } from './base/errors.js';
export { faceOf } from './base/face.js';
export { milliseconds, stopwatch, timer } from './base/host.js';
export { DEV } from './base/mode.js';
export { Watchers } from './base/watchers.js';
export { checkChoice, checkOptions, countOption } from './base/options.js';
export { difference, differenceOf, differenceOfStates } from './data/diff.js';
export type { Difference } from './data/diff.js';
export { decode, encode, toText } from './data/encode.js';
export { checkPlain, guardData } from './data/guard.js';
export { KEYED, isKeyed, keyedMaker } from './data/keyed.js';
export type { DRAFTED, Keyed, KeyedDifference, KeyedKind } from './data/keyed.js';
export type { ListMoves } from './data/list-moves.js';
export { Merge } from './data/merge.js';
export type { Contested, MergeRules } from './data/merge.js';
export {
  MOST_NESTED,
  NODE,
  escapeKey,
  hasOwn,
  hasPart,
  isBranch,
  isContainer,
  isDate,
  isFields,
  isMap,
  isSet,
  keeping,
  kindOf,
  lookUp,
  partOf,
  pointerTo,
  put,
  same,
  sameData,
  shallowCopy,
} from './data/plain.js';
export type { Branch, Container, Fields, Found } from './data/plain.js';
export { parsePointer } from './data/pointer.js';
export { KnownTouches, originOf } from './data/touches.js';
export type { Touches } from './data/touches.js';
export { DraftNode } from './draft/node.js';
export { withoutDrafts } from './draft/settling.js';
export type { Editing } from './draft/editing.js';
export type { Draft } from './draft/types.js';
export { alive, nodeOf } from './draft/draft-faces.js';
export { setPlace } from './features/by-hand.js';
export { holdOf, selectedRecipe } from './features/hold.js';
export { dispatcherOf, runnerOf } from './features/calls.js';
export { readinessOf } from './features/readiness.js';
export type { Readiness } from './features/readiness.js';
export { withAdapter, outsideSetup, reportNoScope, unprovidedRuntime } from './provided.js';
export { Selected } from './features/selected.js';
export { isWatched, liveSources, observeIn, readerOf, runNamed, runsIn, runsUnderWay } from './features/live.js';
export type { Dependency, LiveSource } from './features/live.js';
export { Rebasing, rebasing } from './features/rebasing/feature.js';
export type { TaskDefinition } from './features/tasks/definition.js';
export type { TaskRun } from './features/tasks/run.js';
export { isStatuses, statusEntries, type Statuses } from './features/tasks/statuses.js';
export { timeTravel } from './features/time-travel.js';
export type { TimeTravel } from './features/time-travel.js';
export { aboutOf, taskNamed } from './kernel/about.js';
export { PLACES, hostOf } from './kernel/attachment.js';
export type { Attachment, StoragePlaces } from './kernel/attachment.js';
export type { Cell } from './kernel/cell.js';
export { eachBroken, isThenable } from './kernel/compute.js';
export { STAYING } from './kernel/recorder.js';
export { storesOf } from './kernel/feature.js';
export type { Extensible, Feature } from './kernel/feature.js';
export type { Hooks } from './kernel/hooks.js';
export { eachGroup, endOfGroup, startOfGroup } from './kernel/groups.js';
export { storedDiffers } from './kernel/hints.js';
export { isShown, leaveLine } from './kernel/line.js';
export type { FrameworkAdapter } from './kernel/adapter.js';
export type { Listener } from './kernel/listener.js';
export { Model, withChanges } from './kernel/model.js';
export type { Computed } from './kernel/model.js';
export { STILL } from './kernel/options.js';
export { listen } from './kernel/recorder.js';
export { state, takeIn } from './kernel/stating.js';
export { computed, confirmedStates, shownStates } from './kernel/states.js';
export { OUTCOMES } from './kernel/transition.js';
export type { StoreChange, Transition } from './kernel/transition.js';
export type { ActionCreator, ActionOf, ActionOptions, AnyAction } from './model/action.js';
export { handlesType, typesOf } from './model/triggers.js';
export type { DeclaredTask } from './model/triggers.js';
export { at } from './model/part.js';
export { INLINE, NO_BARE, argumentKey, describeArguments, makeSelector, nextId, partSelector } from './model/source.js';
export type { Derivation, Read, Source } from './model/source.js';
export { StoreDefinition, definitionOf, store, storeName } from './model/store.js';
export type { Change, Original } from './model/store.js';
export type { COPIED, Conflict, Copied, RowLink, Store } from './model/store-types.js';
export { currentReader } from './reactive/graph.js';
export type { Computation } from './reactive/probe.js';
export { Tracked, trackedPart } from './reactive/tracking.js';
export type { TrackedPlace } from './reactive/tracking.js';
export type { Unknown } from './runtime.js';
export { declaresElsewhere, evaluationBegan, evaluationEnded } from './model/evaluation.js';
export { renewModule, type ModuleExports } from './module-reload.js';
