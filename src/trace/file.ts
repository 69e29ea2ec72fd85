// Trace files: JSON Lines (one JSON value a line). A header, then a line a step, with checkpoints and names of branches
// between them. `docs/schemas/trace-line.schema.json` describes a line.
import { encode } from '../core/internal.js';
import type { Patch, PatchOperation } from '../core/index.js';
import {
  TRACE_VERSION,
  type Application,
  type Branch,
  type BranchLine,
  type CheckpointLine,
  type Interaction,
  type InteractionLine,
  type Step,
  type TraceHeader,
} from './step.js';
import type { States } from './kept-states.js';
import type { RecordedFailure } from './story.js';

/** What a trace file is made of. */
export interface TraceContents {
  readonly steps: Iterable<Step>;
  /** The step that was folded last, and the states after it, where the first steps are gone. */
  readonly folded?: number | null;
  readonly states?: States | undefined;
  readonly names?: readonly { readonly id: number; readonly name: string }[];
  /** The branch that is shown. Default: that of the last step. */
  readonly present?: Branch | undefined;
  readonly interactions?: readonly Interaction[];
  readonly redacted?: readonly string[];
  readonly application?: Application | undefined;
  readonly fails?: RecordedFailure;
}

/** The lines of a trace file, each without its line end. */
export function* traceLines(
  {
    steps,
    folded = null,
    states,
    names = [],
    present,
    interactions = [],
    redacted = [],
    application,
    fails,
  }: TraceContents,
  written: Date,
): Generator<string> {
  const header: TraceHeader = {
    floe: 'trace',
    version: TRACE_VERSION,
    written: written.toISOString(),
    ...(redacted.length > 0 && { redacted }),
    ...(application && { application }),
    ...(fails && { fails: encode(fails) as RecordedFailure }),
  };
  yield JSON.stringify(header);
  if (folded !== null) yield checkpointLine(folded, states ?? {});
  let last: Step | undefined;
  for (const step of steps) yield stepLine((last = step));
  for (const { id, name } of names) yield branchLine(id, name);
  if (present && present.id !== last?.branch) yield presentLine(present);
  for (const interaction of interactions) yield interactionLine(interaction);
}

/** The line of a step; `again` where it takes the place of an earlier line. */
export const stepLine = (step: Step, again = false): string =>
  JSON.stringify(again ? { ...toLine(step), again: true } : toLine(step));

export function checkpointLine(checkpoint: number | null, states: States): string {
  const line: CheckpointLine = { checkpoint, states: encode(states) as States };
  return JSON.stringify(line);
}

export function branchLine(branch: number, name: string): string {
  const line: BranchLine = { branch, name };
  return JSON.stringify(line);
}

/** Says which branch is shown. @param branch it has no steps of its own where its last step is the one at which it begins */
export function presentLine({ id, name, from, tip }: Branch): string {
  const line: BranchLine = { branch: id, name, present: true, ...(tip === (from ?? -1) && { from }) };
  return JSON.stringify(line);
}

export function interactionLine({ id, ...rest }: Interaction): string {
  const line: InteractionLine = { interaction: id, ...rest };
  return JSON.stringify(line);
}

/** The step itself where JSON can carry it as it is. */
function toLine(step: Step): Step {
  const { action, run, changes, undo, given } = step;
  const payload = action && 'payload' in action ? encode(action.payload) : undefined;
  const args = run && (encode(run.args) as readonly unknown[]);
  const [there, back] = [encodePatch(changes), encodePatch(undo)];
  const kept = given && encodePatch(given);
  if (there === changes && back === undo && args === run?.args && kept === given && payload === action?.payload)
    return step;
  return {
    ...step,
    ...(payload !== undefined && { action: { type: action!.type, payload } }),
    ...(args && { run: { ...run, args } }),
    changes: there,
    undo: back,
    ...(kept && { given: kept }),
  };
}

/** A patch as JSON can carry it; the same one where it can as it is. */
export function encodePatch(patch: Patch): Patch {
  let result: PatchOperation[] | undefined;
  for (let i = 0; i < patch.length; i++) {
    const operation = patch[i];
    if (!('value' in operation)) continue;
    const value = encode(operation.value);
    if (value !== operation.value) (result ??= [...patch])[i] = { ...operation, value };
  }
  return result ?? patch;
}
