// floe/testing: a runtime with a hand-driven clock, and a search through the states of a model.
export { handClock } from './clock.js';
export { explore } from './explore.js';
export { sameAt, testRuntime, valueAt } from './test-runtime.js';
export { changedPlaces } from '../trace/internal.js';

export type { HandClock } from './clock.js';
export type { Example, Exploration, ExploreOptions, Finding, Tried } from './explore.js';
export type { TestRuntime, TestRuntimeOptions } from './test-runtime.js';
