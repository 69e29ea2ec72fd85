import type { Act } from './act.js';
import { ACTIONS } from './actions.js';
import { STORAGE } from './storage.js';
import { TIME } from './time.js';

/** Everything that a program can do. */
const ALL = { ...ACTIONS, ...TIME, ...STORAGE };

export type OperationName = keyof typeof ALL;

export const OPERATIONS: Readonly<Record<OperationName, Act>> = ALL;
