// What tools read of a history, step by step and without copies: the same of a runtime's trace and of a file.
import type { About, AnyStore } from '../core/index.js';
import { DEV } from '../core/internal.js';
import { titleThrew } from './errors.js';
import type { Application, Branch, Interaction, Step } from './step.js';
import type { Timeline } from './timeline.js';
import type { Known, States } from './kept-states.js';
import { declaredTitle, titler, type Titled } from './titles.js';
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
  readonly application: Application | undefined;
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
  /** The stores of the runtime; a file has none. */
  readonly stores: readonly AnyStore[];
  /** Plain data without any text that stands, or stood, at a redacted place. */
  conceal<T>(data: T): T;
  /** What the model declares as the title of a step, if anything. */
  titleOf(step: Step): string | undefined;
  /** The same for many steps in a row. */
  titler(): (step: Step) => string | undefined;
  /**
   * Calls `listener` after each change.
   * @param listener is given the position from which on steps are others than before; nothing where steps were only added
   * @returns a function that stops it
   */
  watch(listener: (from: number | undefined) => void): () => void;
}

/** States of so many steps that were asked for last are kept. */
const MOST_RECENT = 6;

/** What a `TraceSource` is made of. Indices count from the first step that is kept. */
export interface SourceParts {
  timeline(): Timeline;
  interactions(): readonly Interaction[];
  redacted(): readonly string[];
  application(): Application | undefined;
  stores(): readonly AnyStore[];
  /** @param beside further states that are known */
  statesAt(index: number, beside: readonly Known[]): States;
  /** Goes up whenever steps become others. */
  revision(): number;
  about(kind: 'action' | 'task', name: string): About | undefined;
  watch(listener: (from: number | undefined) => void): () => void;
  conceal<T>(data: T): T;
  report(error: unknown): void;
}

/** States that were worked out last: the next ones that are asked for are often beside them. */
class RecentStates {
  private recent: { readonly position: number; readonly states: States }[] = [];
  private revision = -1;

  constructor(private readonly parts: SourceParts) {}

  at(position: number): States {
    const { parts } = this;
    const { folds } = parts.timeline().line;
    if (parts.revision() !== this.revision) {
      this.revision = parts.revision();
      this.recent = [];
    }
    // Of what was folded meanwhile, only the states before the first step are still a place to begin.
    const beside = this.recent
      .map((one) => ({ index: one.position - folds, states: one.states }))
      .filter(({ index }) => index >= -1);
    const states = parts.statesAt(position - folds, beside);
    // The last step may still grow. The states at the live end are edited in place: a copy is kept.
    if (position < folds + parts.timeline().line.length - 1 && !this.recent.some((one) => one.position === position)) {
      this.recent.push({ position, states: { ...states } });
      if (this.recent.length > MOST_RECENT) this.recent.shift();
    }
    return states;
  }
}

function titledBy(
  parts: SourceParts,
  positionOf: TraceSource['positionOf'],
  statesAt: TraceSource['statesAt'],
): Titled {
  const threw = new Set<string>();
  return {
    about: parts.about,
    step: (seq) => parts.timeline().peek(seq),
    before: ({ seq }) => {
      const position = positionOf(seq);
      return position < 0 ? undefined : statesAt(position - 1);
    },
    threw(name, error) {
      if (!DEV || threw.has(name)) return;
      threw.add(name);
      parts.report(titleThrew(name, error));
    },
  };
}

export function sourceFor(parts: SourceParts): TraceSource {
  const { timeline } = parts;
  const folds = (): number => timeline().line.folds;
  const positionOf = (seq: number): number => {
    const index = timeline().line.indexOf(seq);
    return index < 0 ? -1 : index + folds();
  };
  const recent = new RecentStates(parts);
  const statesAt = (position: number): States => recent.at(position);
  const titled = titledBy(parts, positionOf, statesAt);
  return {
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
      return timeline().branches.list.map((branch) => ({ ...branch, name: parts.conceal(branch.name) }));
    },
    get interactions() {
      return parts.interactions();
    },
    get application() {
      return parts.application();
    },
    get redacted() {
      return parts.redacted();
    },
    get stores() {
      return parts.stores();
    },
    at: (position) => timeline().line.peek(position - folds()),
    positionOf,
    step: (seq) => timeline().peek(seq),
    statesAt,
    stepsOf: (branch) => {
      const { common, steps } = timeline().lineOf(branch);
      return { common: common + folds(), steps };
    },
    titleOf: (step) => step.title ?? declaredTitle(step, titled),
    titler: () => {
      const titleOf = titler(titled);
      return (step) => step.title ?? titleOf(step);
    },
    watch: parts.watch,
    conceal: parts.conceal,
  };
}

/** On a trace: itself, as tools read it. */
export const SOURCE_OF: unique symbol = Symbol('floe.trace.source');

/** A trace as tools read it. */
export const sourceOf = (trace: Trace): TraceSource =>
  (trace as { readonly [SOURCE_OF]?: TraceSource })[SOURCE_OF] as TraceSource;
