// The shapes of a recorded history. The trace file, the command line and tools share them: this is the wire format.
import type { Actor, AnyAction, FactName, Outcome, Patch, RunNote } from '../core/index.js';
import type { ListMoves } from '../core/internal.js';
import type { RecordedFailure, RecordedStory } from './story.js';

/**
 * The version of the trace file format.
 * Raise it when a reader of the version before would misread a file; then teach `file.ts` to open the older one too.
 */
export const TRACE_VERSION = 3;

/** The first line of a trace file. */
export interface TraceHeader {
  readonly floe: 'trace';
  readonly version: number;
  /** When the file was begun, as ISO 8601 text in UTC. */
  readonly written: string;
  /** The places of the state tree that are redacted. */
  readonly redacted?: readonly string[];
  /** What was recorded. */
  readonly application?: Application;
  /** The story that a search found, and that this is a recording of. */
  readonly story?: RecordedStory;
  /** How it fails, of one that was made as small as it can be. */
  readonly fails?: RecordedFailure;
}

/** The application that a trace is of, as tools name it. */
export interface Application {
  /** As users know it: `Skerrow Harbour`. */
  readonly name: string;
  /** Default: none is shown. */
  readonly version?: string;
}

/** A line with the states at a point: everything before it may be missing. */
export interface CheckpointLine {
  /** The step after which the states are these; `null` before all. */
  readonly checkpoint: number | null;
  readonly states: Readonly<Record<string, unknown>>;
}

/** A line with the name of a branch; and that it is the one that is shown, where that is not the one of the last step. */
export interface BranchLine {
  readonly branch: number;
  readonly name: string;
  /** From here on it is the branch that is shown, until a step of another one follows. */
  readonly present?: true;
  /** Of a branch without steps: the step after which it begins. */
  readonly from?: number | null;
}

/**
 * Something that the user did with a control of the page while a tool observed the page. It never holds what a field
 * contains. The steps that were recorded while it was handled are those from `from` on, as many as `steps` says.
 */
export interface Interaction {
  /** Counts up from 1. */
  readonly id: number;
  /** Epoch milliseconds. */
  readonly time: number;
  /** `key`: a key with a function, as Enter. `input`: typing, or choosing a value. */
  readonly kind: 'click' | 'key' | 'submit' | 'input';
  /** The accessible name of the control; empty where it has none. */
  readonly name: string;
  /** The role of the control: `button`, `link`. */
  readonly role?: string;
  /** Of a `key`: its name. Never a character. */
  readonly key?: string;
  /** The number of the next step when it began. */
  readonly from: number;
  /** How many steps were recorded while it was handled. */
  readonly steps: number;
  /** Of an `input`: counts the typing, from the first key in a field until it is left. Those of one number belong together. */
  readonly typing?: number;
  /** Of one without steps: the page changed while it was handled, as when a dialog opens. */
  readonly changedPage?: true;
}

/** A line with an interaction. */
export interface InteractionLine extends Omit<Interaction, 'id'> {
  readonly interaction: number;
}

/** Why a step was recorded. */
export interface StepCause {
  /**
   * Who did it: application code, the run of a task, a storage, an interceptor, the user's navigation, another tab, a developer
   * at a tool, or the runtime.
   */
  readonly by: Actor;
  /** The step that led to it: a watcher of that step dispatched this one, or a task handled it. */
  readonly step?: number;
  /** The number of the run that did it. */
  readonly run?: number;
  /** The type of the action that another tab did, or that an interceptor decided about when it dispatched. */
  readonly action?: string;
}

/** The application's code did it, and no step led to it. */
export const CODE: StepCause = Object.freeze({ by: 'code' });

/** One transition, as recorded. */
export interface Step {
  /** Unique over all branches; counts up from 0. */
  readonly seq: number;
  /** Epoch milliseconds. */
  readonly time: number;
  /** `action`: computed by the stores. `fact`: stated, for example the initial state. */
  readonly kind: 'action' | 'fact';
  /** Which fact. */
  readonly fact?: FactName;
  readonly action?: AnyAction;
  readonly cause: StepCause;
  /** The names of the stores that changed. */
  readonly stores: readonly string[];
  /** JSON Patch (RFC 6902) of the state tree; the first key of each path is the store's name. */
  readonly changes: Patch;
  /** The JSON Patch that takes the changes back. */
  readonly undo: Patch;
  /** Lists of which the patch does not tell where their items went: those that drafts moved. */
  readonly moves?: readonly ListMoves[];
  /** Milliseconds that the stores' changes took. */
  readonly took: number;
  readonly outcome: Outcome;
  /** The step before it; `null` for the first. */
  readonly after: number | null;
  /** The branch that it belongs to; 0 is the first. */
  readonly branch: number;
  /** Steps that commit or roll back together share a number. */
  readonly group?: number;
  /** Why it was stopped, refused or failed. */
  readonly reason?: string;
  /** Where it was thrown, of one that failed: in development only. */
  readonly stack?: string;
  /** The rules that do not hold after it, and what selectors and watchers threw that it made run. */
  readonly problems?: readonly string[];
  /** The run of a task that it tells of. */
  readonly run?: RunNote;
  /** The step of the optimistic action that it confirms or reverts. */
  readonly about?: number;
  /** The steps of the optimistic actions that it reverts with that one. */
  readonly alsoAbout?: readonly number[];
  /** How many actions that are not listed it sums up. */
  readonly count?: number;
  /** What a developer noted about it. */
  readonly note?: string;
  /** What the model declares as its title: in files only. */
  readonly title?: string;
  /** It failed inside of `atomic`, and what `atomic` was given went on. */
  readonly caught?: true;
  /** It is excluded: a developer asks for the states without it. */
  readonly excluded?: true;
  /** It counts, though what brought it about is excluded. */
  readonly orphan?: true;
  /** A part of its action is redacted: it cannot be computed again, its patch is taken as it is. */
  readonly onTrust?: true;
  /** The patch that a fact stated, where only a part of it, or nothing, applies now that a step before it is excluded. */
  readonly given?: Patch;
  /** The moves that a fact stated, beside `given`. */
  readonly givenMoves?: readonly ListMoves[];
}

/** A step while it is made. */
export type StepInMaking = { -readonly [K in keyof Step]: Step[K] };

/** One line of history: it shares its steps up to a fork with the branch that it left. */
export interface Branch {
  readonly id: number;
  readonly name: string;
  /** The step at which it left another branch; `null` for the first. */
  readonly from: number | null;
  /** Its last step. */
  readonly tip: number;
}

/** What a run does in a step, as the end of a sentence. */
export const phaseIn = (fact: Step['fact'], phase: string): string =>
  fact === 'runStarted' ? 'begins' : fact === 'runRetried' ? 'tries again' : phase;

/**
 * What happened, in a few words: for lists of steps.
 * @example
 * trace.steps.map(titleOf); // ['initial', 'visits.planned', 'visits.load #1 begins', ...]
 */
export function titleOf(step: Step): string {
  const { action, fact, run, count, cause } = step;
  if (run) {
    return `${run.task}${run.id > 0 ? ` #${run.id}` : ''} ${phaseIn(fact, run.phase)}`;
  }
  if (count !== undefined) return `${count} not listed`;
  if (fact === 'confirmed' || fact === 'reverted') {
    const stays = fact === 'confirmed' ? 'stays' : 'reverted';
    const settled = settledBy(step);
    const what = settled.length === 0 ? 'optimistic' : `step${settled.length > 1 ? 's' : ''} ${listOf(settled)}`;
    return `${what} ${stays}${action ? `: ${action.type}` : ''}`;
  }
  if (fact === 'fromTab') return cause.action ? `${cause.action} in another tab` : 'another tab';
  return action?.type ?? fact ?? '';
}

/** The steps of the optimistic actions that a step confirms or reverts. */
export const settledBy = ({ about, alsoAbout = [] }: Step): readonly number[] =>
  about === undefined ? [] : [about, ...alsoAbout];

const listOf = (numbers: readonly number[]): string =>
  numbers.length > 3 ? `${numbers.slice(0, 2).join(', ')} and ${numbers.length - 2} more` : numbers.join(', ');

/**
 * Who or what brought it about, in a few words; nothing where the application did.
 * @example
 * causeOf(step); // 'run #3', 'inspector', 'step 12'
 */
export function causeOf({ cause: { by, run, step, action }, count }: Step): string {
  if (count !== undefined) return '';
  if (by === 'interceptor' && action !== undefined)
    return `interceptor of ${action}${step === undefined ? '' : `, step ${step}`}`;
  const who = run !== undefined ? `run #${run}` : by === 'code' || (by === 'runtime' && step !== undefined) ? '' : by;
  return [who, step === undefined ? '' : `step ${step}`].filter(Boolean).join(', ');
}
