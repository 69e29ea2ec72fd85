// floe/testing: a runtime with a hand-driven clock, and a search through the states of a model.
export { handClock } from './clock.js';
export { heldCalls } from './held-calls.js';
export { explore } from './search/explore.js';
export { sameAt, testRuntime, valueAt } from './test-runtime.js';
export { changedPlaces } from '../trace/internal.js';

export type { HandClock } from './clock.js';
export type { HeldCall, HeldCalls } from './held-calls.js';
export type {
  CallOfStory,
  Example,
  Exploration,
  ExploreOptions,
  Finding,
  FindingKind,
  Known,
  ResponseOfStory,
  RestRule,
  StoryStep,
  Tried,
} from './search/exploration.js';
export type { TestRuntime, TestRuntimeOptions } from './test-runtime.js';
