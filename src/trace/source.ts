// What tools read of a history, step by step and without copies: the same of a runtime's trace and of a file.
import type { About } from '../core/index.js';
import type { Branch, Interaction, Step } from './step.js';
import type { States, Timeline } from './timeline.js';
import { declaredTitle } from './titles.js';
import type { Trace } from './trace.js';

/**
 * A recorded history. Its present line has positions, which count from 0 and stay when the oldest steps are folded: the
 * first step that is kept stands at `first`, and `end` is the position after the last.
 */
export interface TraceSource {
  readonly first: number;
  readonly end: number;
  /** The last step that was folded; `null` where none was. */
  readonly folded: number | null;
  readonly branch: number;
  readonly branches: readonly Branch[];
  /** Oldest first. */
  readonly interactions: readonly Interaction[];
  /** The places of the state tree that are redacted. */
  readonly redacted: readonly string[];
  /** The step at a position. Reading one leaves nothing in memory. */
  at(position: number): Step | undefined;
  /** The position of a step; -1 where it is not on the line. */
  positionOf(seq: number): number;
  /** A step of any branch. */
  step(seq: number): Step | undefined;
  /** The states after the step at a position; those before the first step at the position before it. */
  statesAt(position: number): States;
  /** The steps of a branch that are not on the present line, and the position of the last step before them. */
  stepsOf(branch: number): { readonly common: number; readonly steps: readonly Step[] };
  /** Plain data without any text that stands, or stood, at a redacted place. */
  conceal<T>(data: T): T;
  /** What the model declares as the title of a step, if anything. */
  titleOf(step: Step): string | undefined;
  /**
   * Calls `listener` after each change.
   * @param listener is given the position from which on steps are others than before; nothing where steps were only added
   * @returns a function that stops it
   */
  watch(listener: (from: number | undefined) => void): () => void;
}

/** What a `TraceSource` is made of. Indices count from the first step that is kept. */
export interface SourceParts {
  timeline(): Timeline;
  folds(): number;
  interactions(): readonly Interaction[];
  redacted(): readonly string[];
  statesAt(index: number): States;
  about(kind: 'action' | 'task', name: string): About | undefined;
  watch(listener: (from: number | undefined) => void): () => void;
  conceal<T>(data: T): T;
}

export function sourceFor(parts: SourceParts): TraceSource {
  const { timeline, folds } = parts;
  const positionOf = (seq: number): number => {
    const index = timeline().line.indexOf(seq);
    return index < 0 ? -1 : index + folds();
  };
  const source: TraceSource = {
    get first() {
      return folds();
    },
    get end() {
      return folds() + timeline().line.length;
    },
    get folded() {
      return timeline().folded;
    },
    get branch() {
      return timeline().branch;
    },
    get branches() {
      return timeline().branches;
    },
    get interactions() {
      return parts.interactions();
    },
    get redacted() {
      return parts.redacted();
    },
    at: (position) => timeline().line.peek(position - folds()),
    positionOf,
    step: (seq) => timeline().peek(seq),
    statesAt: (position) => parts.statesAt(position - folds()),
    stepsOf: (branch) => {
      const { common, steps } = timeline().lineOf(branch);
      return { common: common + folds(), steps };
    },
    titleOf: (step) =>
      step.title ??
      declaredTitle(step, {
        about: parts.about,
        step: (seq) => timeline().peek(seq),
        before: ({ seq }) => {
          const index = timeline().line.indexOf(seq);
          return index < 0 ? undefined : parts.statesAt(index - 1);
        },
      }),
    watch: parts.watch,
    conceal: parts.conceal,
  };
  return source;
}

/** On a trace: itself, as tools read it. */
export const SOURCE_OF: unique symbol = Symbol('floe.trace.source');

/** A trace as tools read it. */
export const sourceOf = (trace: Trace): TraceSource =>
  (trace as { readonly [SOURCE_OF]?: TraceSource })[SOURCE_OF] as TraceSource;
