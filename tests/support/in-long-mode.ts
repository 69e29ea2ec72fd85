import { test } from '@jest/globals';
import { longMode } from './runs.js';

/** A test of the long mode: one whose subject others touch in `npm test`, or that takes long. */
export const inLongMode = longMode ? test : test.skip;
