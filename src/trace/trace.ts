// What a runtime has as its trace, and what can be said about it: the interface that applications and tools use.
import type { FloeError } from '../core/internal.js';
import type { AnyAction, AnyCreator, AnyTask, DispatchResult, Patch } from '../core/index.js';
import type { Comparison } from './compare.js';
import type { GivenTrace } from './file-reading.js';
import type { ValueChange } from './history.js';
import type { InteractionEnd, NotedInteraction } from './interactions.js';
import type { RedactOptions } from './redaction/rules.js';
import type { Application, Branch, Interaction, Step } from './step.js';
import type { States } from './kept-states.js';

/** The recorded history of a runtime, and the way through it. */
export interface Trace {
  /** The steps of the present branch, oldest first. A new array whenever it changes. */
  readonly steps: readonly Step[];
  /** A step of any branch by its number, as long as it is kept. */
  step(seq: number): Step | undefined;
  /** The `seq` of the step whose state is shown. */
  readonly cursor: number;
  /** Whether the newest state of the branch is shown. */
  readonly isLive: boolean;
  /** Whether transitions are summed up instead of listed. */
  readonly isPaused: boolean;
  /** All branches. A dispatch in the past begins one. */
  readonly branches: readonly Branch[];
  /** The id of the present branch. */
  readonly branch: number;
  /** Shows the state after a step; of several that commit or roll back together, after the last of them. */
  seek(seq: number): void;
  /** Goes back to the nearest earlier step that changed state; sums of what is not listed are passed by. */
  back(): void;
  /** Goes forward to the nearest later step that changed state. */
  forward(): void;
  /** Goes to the newest state. */
  live(): void;
  /**
   * What if an action had not happened: what follows is computed again without it. Actions that then fail or change nothing
   * stay listed as such; those that it brought about stay, marked as `orphan`.
   * @param options `withCaused: true` leaves out all that it brought about as well, runs of tasks included
   * @throws FLOE_NOT_EXCLUDABLE for a fact, and while an optimistic action is open; FLOE_STEP_FOLDED for what is no longer kept
   */
  exclude(seq: number, options?: { readonly withCaused?: boolean }): void;
  /** Takes an excluded step in again. */
  include(seq: number, options?: { readonly withCaused?: boolean }): void;
  /** Shows the newest state of another branch, which becomes the present one. */
  switchTo(branch: number): void;
  /** Gives a branch a name. */
  nameBranch(branch: number, name: string): void;
  /** Where two branches part, and what became of the state on each. */
  compareBranches(a: number, b: number): Comparison;
  /** The whole state tree after a step, by store name. */
  stateAt(seq: number): States;
  /** The patch (RFC 6902) that leads from the state after one step to the state after another. */
  changes(from: number, to: number): Patch;
  /**
   * The steps up to the cursor that changed a value, oldest first, with the value before and after. Items of lists are
   * followed to where they stood before.
   * @param pointer into the state tree (RFC 6901): `/visits/list/3`, `/port/visit/v7/phase`
   */
  history(pointer: string): readonly ValueChange[];
  /** Remarks something about a step; an empty text takes the remark away. @param seq default: the step at the cursor */
  mark(note: string, seq?: number): void;
  /** What the user did with the page while a tool observed it, oldest first. Saved with the trace. */
  readonly interactions: readonly Interaction[];
  /**
   * Notes that the user does something: the steps until the returned function is called belong to it. For tools, and for
   * applications that handle input themselves, as on a canvas.
   * @param what the kind, the accessible name of the control, its role; never what a field contains
   * @returns a function that ends it, and is told whether the page changed
   * @example
   * const end = runtime.trace.noteInteraction({ kind: 'click', name: 'Berth N4', role: 'button' });
   * runtime.dispatch(berthPicked('N4'));
   * end();
   */
  noteInteraction(what: NotedInteraction): (how?: InteractionEnd) => void;
  /** From now on transitions are summed up instead of listed. */
  pause(): void;
  /** Transitions are listed again. */
  resume(): void;
  /** The types of all actions that the stores handle. */
  readonly actions: readonly string[];
  /** Dispatches an action by hand. It is recorded as the inspector's. */
  send(action: AnyAction): DispatchResult;
  /** The trace as a file: JSON Lines text. */
  export(): string;
  /** The lines of the same file, one after the other, without line ends: for long traces. */
  lines(): Iterable<string>;
  /**
   * Takes a trace file in place of this history, and shows its newest state.
   * @param options which stores of the file are left out
   * @returns how many steps it holds, and what is wrong with the file if it was cut short
   * @throws FLOE_NOT_A_TRACE, FLOE_TRACE_DAMAGED, FLOE_TRACE_TOO_NEW; FLOE_TRACE_IS_WRITTEN with the option `lines`; then
   * nothing changed
   */
  import(file: GivenTrace, options?: ImportOptions): { readonly steps: number; readonly problem?: FloeError };
  /** Calls `listener` after each new step and each move. Returns a function that stops it. */
  watch(listener: () => void): () => void;
}

/** What a trace is to hold. */
export interface RecordingOptions {
  /**
   * Actions that would bury the others, by creator or type, and tasks whose runs would. They are applied as ever; what they
   * come to between two listed steps is one step with their count. Default: none.
   */
  readonly ignore?: readonly (AnyCreator | AnyTask | string)[];
  /** Secrets, which never enter the trace nor a file made from it. Default: none. */
  readonly redact?: RedactOptions;
  /**
   * How many steps are kept, on all branches together, and at most a sixteenth more. Whole branches without a name are dropped
   * first, the longest left before the others. Then the oldest steps are folded: their states stay, they can no longer be looked at or
   * excluded, and branches that began among them go. `Infinity` keeps all. Default: 10,000.
   */
  readonly limit?: number;
  /**
   * Gets each line of a trace file as soon as it is known, without its line end: for files that hold more than is kept.
   * Default: nothing gets them.
   * @example
   * const file = createWriteStream('shift.jsonl');
   * recording({ lines: (line) => file.write(line + '\n') });
   */
  readonly lines?: (line: string) => void;
  /** What is recorded, so that a saved trace is known as one of this application: `{ name, version }`. Default: not said. */
  readonly application?: Application;
}

/** How a trace file is taken. */
export interface ImportOptions {
  /** Stores of the file that are left out, as if it did not hold them. Default: none. */
  readonly leaveOut?: readonly string[];
}
