// floe/testing: a runtime with a hand-driven clock, and a search through the states of a model.
export { handClock } from './clock.js';
export { heldCalls } from './held-calls.js';
export { explore, storyTrace } from './search/explore.js';
export { smallest } from './smallest/smallest.js';
export { cancelRun, leftOpen, taskCall } from './story-helpers.js';
export { sameAt, testRuntime, valueAt } from './test-runtime.js';
export { changedPlaces } from '../trace/internal.js';

export type { HandClock } from './clock.js';
export type { HeldCall, HeldCalls } from './held-calls.js';
export type { Example, Exploration, ExploreOptions, Finding, Known, RestRule, Tried } from './search/exploration.js';
export type { Failure, Moment, Smallest, SmallestOptions } from './smallest/smallest.js';
export type { TestRuntime, TestRuntimeOptions } from './test-runtime.js';
export type { CallOfStory, FindingKind, ResponseOfStory, StoryStep } from '../trace/index.js';
