// A story: what happened in which order, as the search through orders tells it. A recording that it saved has it in its header.
import type { AnyAction } from '../core/index.js';

/** What happens next in a story. `says` is a sentence about it. */
export type StoryStep = { readonly says: string } & (
  | { readonly does: 'dispatch'; readonly action: AnyAction }
  | { readonly does: 'run'; readonly task: string; readonly args: readonly unknown[]; readonly run: number }
  | ({
      readonly does: 'respond';
      /** Which of the outcomes, counted from 0. */ readonly outcome: number;
    } & CallOfStory &
      ResponseOfStory)
  | { readonly does: 'wait'; readonly ms: number; /** Which of the timers that are due then. */ readonly timer: number }
  | { readonly does: 'cancel'; readonly task: string; readonly run: number }
  | { readonly does: 'decide'; readonly action: AnyAction; readonly held: number; readonly proceeds: boolean }
);

/** A call of a need. */
export interface CallOfStory {
  /** Calls of all needs are counted from 1 in the order in which they are made. */
  readonly call: number;
  readonly need: string;
  /** Empty where the need is a function. */
  readonly method: string;
  readonly args: readonly unknown[];
  readonly task: string;
  readonly run: number;
}

/** What a call came to: a value, or the message of an error. */
export interface ResponseOfStory {
  readonly value?: unknown;
  readonly error?: string;
}

/** What a finding is about. */
export type FindingKind =
  /** A rule of a store, or of `atRest`, does not hold. */
  | 'rule'
  | 'at rest'
  /** An optimistic action that is neither confirmed nor reverted while nothing is under way. */
  | 'optimistic'
  /** A run that nothing ends. */
  | 'under way'
  /** Tasks or watchers that go round without end. */
  | 'loop'
  /** A change that throws. */
  | 'change'
  /** A run that failed, and no caller waits for it. */
  | 'unseen';

/** What the header of a recording says of the story that was recorded. */
export interface RecordedStory {
  readonly kind: FindingKind;
  /** What the story led to: the rule, or a sentence. */
  readonly what: string;
  readonly story: readonly StoryStep[];
  /** No task ran. */
  readonly still?: boolean;
}

/** What the header of a recording says of how it fails, where it was made as small as it can be. */
export interface RecordedFailure {
  readonly kind: 'rule' | 'error' | 'value' | 'differs';
  /** The rule, the code of the error, or the pointer to the value. Absent where today's code differs. */
  readonly what?: string;
  /** The value that must not stand there, encoded as states are. */
  readonly value?: unknown;
}
