// The record of one transition.
import type { AnyAction } from '../model/action.js';
import type { Touches } from '../data/touches.js';
import type { StoreDefinition } from '../model/store.js';

/**
 * Who did it. `code` is the application, `task` a run, `interceptor` one that put another action in the place of the one
 * that was dispatched, `address` the user's navigation, `tab` another tab, `inspector` a developer at a tool.
 */
export type Actor = 'code' | 'task' | 'trace' | 'storage' | 'interceptor' | 'runtime' | 'address' | 'tab' | 'inspector';

/** Why it happened. */
export interface Cause {
  readonly by: Actor;
  /** The transition that led to it. */
  readonly of?: Transition;
  /** The number of the run that did it. */
  readonly run?: number;
  /** The type of the action that another tab did, or that an interceptor decided about when it dispatched. */
  readonly action?: string;
}

/** What became of an action. */
export type Outcome = (typeof OUTCOMES)[number];
export const OUTCOMES = ['applied', 'unchanged', 'waiting', 'stopped', 'refused', 'failed', 'reverted'] as const;

/** What a fact step states: nothing computes it, so its patch is taken as given. */
export type FactName =
  | 'initial'
  | 'joined'
  | 'rehydrated'
  /** Another tab changed what the tabs share. */
  | 'fromTab'
  | 'reset'
  /** A developer set a place by hand. */
  | 'edited'
  | 'renewed'
  /** A run of a task began, begins again after a failure, ended, or was not needed. */
  | 'runStarted'
  | 'runRetried'
  | 'runEnded'
  | 'runSkipped'
  /** An optimistic action was confirmed or reverted. */
  | 'confirmed'
  | 'reverted'
  /** What several actions came to that a trace does not list. */
  | 'summed'
  /** The user undid or redid an entry. */
  | 'undone'
  | 'redone';

/** A run of a task, as far as it is recorded. */
export interface RunNote {
  /** Counts up from 1 in one runtime. */
  readonly id: number;
  readonly task: string;
  readonly args: readonly unknown[];
  readonly phase: 'running' | 'done' | 'failed' | 'cancelled' | 'skipped';
  /** What the run was given from outside the state, in order: the time, random numbers. */
  readonly saw?: readonly (readonly ['now' | 'random', number])[];
}

/** What a transition changed of one store: its state before and after. */
export interface StoreChange {
  readonly store: StoreDefinition;
  /** The state before; absent when the store joined. */
  readonly before: unknown;
  readonly after: unknown;
  readonly joined?: boolean;
}

export const NO_CHANGES: readonly StoreChange[] = [];

/** One transition of the runtime: an action and what it changed, or a fact. */
export interface Transition {
  readonly kind: 'action' | 'fact';
  /** Which fact. */
  readonly fact?: FactName;
  readonly action?: AnyAction;
  readonly cause: Cause;
  readonly outcome: Outcome;
  readonly changed: readonly StoreChange[];
  /** What the drafts know about the containers that they changed. */
  readonly touches?: Touches | undefined;
  /** Epoch milliseconds. */
  readonly time: number;
  /** Milliseconds that the changes took. */
  readonly took: number;
  /** Why it was stopped, or what it threw. */
  readonly reason?: unknown;
  /** The transitions of one transaction share a number. */
  readonly group?: number | undefined;
  /** Of an action: how many stores had joined when it was applied. In a transaction others join before it is recorded. */
  readonly joinedBefore?: number;
  /** An optimistic action: the confirmed states do not have it yet, and a fact tells when they do. */
  readonly optimistic?: boolean;
  /** The rules that do not hold after it, and what else went wrong. */
  problems?: unknown[];
  /** The run that it tells of. */
  readonly run?: RunNote;
  /** The optimistic action that was confirmed or reverted. */
  readonly about?: Transition | undefined;
  /** The optimistic actions that were reverted with that one. */
  readonly alsoAbout?: readonly Transition[];
  /** It failed in a transaction that committed. */
  caught?: boolean;
  /** It happened at the live end while the cursor is in the past. */
  unseen?: boolean;
  /** The number that the trace gave it. */
  step?: number | undefined;
}
