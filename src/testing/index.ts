// floe/testing: a runtime with a hand-driven clock.
export { handClock } from './clock.js';
export { testRuntime, valueAt } from './test-runtime.js';
export { changedPlaces } from '../trace/places.js';

export type { HandClock } from './clock.js';
export type { TestRuntime, TestRuntimeOptions } from './test-runtime.js';
