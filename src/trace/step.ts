// The shapes of a recorded history. The trace file, the command line and tools share them: this is the wire format.
import type { AnyAction, FactName, Outcome, Patch } from '../core/index.js';

/**
 * The version of the trace file format.
 * Raise it when a reader of the version before would misread a file; then teach `file.ts` to open the older one too.
 */
export const TRACE_VERSION = 1;

/** The first line of a trace file. */
export interface TraceHeader {
  readonly floe: 'trace';
  readonly version: number;
  /** When the file was written, as ISO 8601 text in UTC. */
  readonly written: string;
}

/** Why a step came about. */
export interface StepCause {
  /** Who did it: application code, the trace itself, a storage, an interceptor, or the runtime. */
  readonly by: 'code' | 'trace' | 'storage' | 'interceptor' | 'runtime';
  /** The step that it answered: a watcher dispatched it. */
  readonly step?: number;
}

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
  /** Milliseconds that the stores' changes took. */
  readonly took: number;
  readonly outcome: Outcome;
  /** The step before it; `null` for the first. */
  readonly after: number | null;
  /** The branch that it belongs to; 0 is the first. */
  readonly branch: number;
  /** Steps that stand or fall together share a number. */
  readonly group?: number;
  /** Why it was stopped, refused or failed. */
  readonly reason?: string;
  /** The rules that do not hold after it. */
  readonly problems?: readonly string[];
}

/** One line of history: it shares its steps up to a fork with the branch that it left. */
export interface Branch {
  readonly id: number;
  readonly name: string;
  /** The step at which it left another branch; `null` for the first. */
  readonly from: number | null;
  /** Its last step. */
  readonly tip: number;
}
