// What `explore` takes, and what it gives.
import type {
  AnyAction,
  AnyStore,
  AnyTask,
  Given,
  Interceptor,
  NeedOutcomes,
  Read,
  StateReader,
  TaskCall,
} from '../../core/index.js';
import type { FindingKind, StoryStep } from '../../trace/index.js';

/** An action or a call of a task to try, or a function that gives those to try in a state. */
export type Example =
  AnyAction | TaskCall<unknown> | ((read: StateReader) => readonly (AnyAction | TaskCall<unknown>)[]);

/** A rule for when nothing is under way; it holds where it gives true. */
export type RestRule = (read: Read, known: Known) => boolean;

/** What a need knows, of those whose `outcomes` was given something to know. */
export type Known = <K = Readonly<Record<string, unknown>>>(need: object) => K;

/** Options of `explore`. */
export interface ExploreOptions {
  /** The stores of the model, with their rules. */
  readonly stores: readonly AnyStore[];
  /**
   * The actions and calls of tasks that are tried in each state; a function gives those that make sense in it. It must be pure. Tasks
   * run where a call of one is among the examples, or `needs` is given: else only what actions change is tried, which is much faster.
   */
  readonly examples: readonly Example[];
  /** What the needs of tasks respond: `office.outcomes(...)`; or what serves them at once: `office.by(...)`. Default: none. */
  readonly needs?: readonly (Given | NeedOutcomes)[];
  /** Tasks without a store that begin with the runtime, or by an action. Default: none. */
  readonly tasks?: readonly AnyTask[];
  /** Asked before an action is applied; one that holds an action is tried both ways. Default: none. */
  readonly interceptors?: readonly Interceptor[];
  /** Rules, by name, for when no call, no timer and no held action is left. Default: none. */
  readonly atRest?: Readonly<Record<string, RestRule>>;
  /** Whether each run that is under way is also cancelled, in each state. Default: false */
  readonly cancels?: boolean;
  /** At most so many actions, starts, responses and timers, one after the other. Default: 6; where tasks run 12 */
  readonly steps?: number;
  /** At most so many different states. Default: 10,000 */
  readonly states?: number;
  /** At most so many milliseconds. Default: no limit */
  readonly time?: number;
  /** Ends with the first broken rule. Default: false; all are looked for */
  readonly first?: boolean;
  /** Called after each state of which everything was tried, with how many were and how many are known. Default: nothing is called. */
  readonly onState?: (done: number, known: number) => void;
}

/** What became of the actions of one type, or of the starts of one task. */
export interface Tried {
  /** The type, or the name of the task. */
  readonly type: string;
  /** How often it changed the state. */
  readonly applied: number;
  readonly unchanged: number;
  /** How often a change threw. */
  readonly failed: number;
  /** How often a rule did not hold after it. */
  readonly broke: number;
}

/** Something that should not be, and a shortest story that leads there. */
export interface Finding {
  readonly kind: FindingKind;
  /** The rule, as `store.rule`; the message of an error; else a sentence. */
  readonly what: string;
  /** What the rule threw, where it did. */
  readonly threw?: string;
  /** What happens from the beginning on; the last step brings it about. None where the stores begin like that. */
  readonly story: readonly StoryStep[];
}

/** What `explore` found. */
export interface Exploration {
  /** How many different states were reached, the first one included. */
  readonly states: number;
  /** How many steps the farthest of them is away from the first one. */
  readonly steps: number;
  /**
   * Whether that is all that can be reached: false where `steps`, `states`, `time` or `first` ended the search, where a rule is broken,
   * since nothing is tried beyond that, and where a run waits for something that the search does not hold.
   */
  readonly complete: boolean;
  /** The types of actions and the tasks that were tried, in the order in which they came. */
  readonly tried: readonly Tried[];
  /** The types of actions that the stores handle themselves and none of the examples is of. */
  readonly untried: readonly string[];
  /** What must not be: rules that do not hold, and all that does not come to a rest. */
  readonly broken: readonly Finding[];
  /** Each different error of a change or of a run that no caller waits for; many models refuse actions by throwing. */
  readonly failures: readonly Finding[];
}

/** How many steps a search takes where it is not said. */
export const STEPS = { actions: 6, tasks: 12 };
export const STATES = 10_000;
