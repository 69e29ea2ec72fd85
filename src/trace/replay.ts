// Runs what was recorded against today's code.
import { difference } from '../core/diff.js';
import type { AnyStore, Outcome } from '../core/index.js';
import { checkOptions } from '../core/options.js';
import { Model } from '../core/model.js';
import { lookUp, sameData } from '../core/plain.js';
import { parsePointer } from '../core/pointer.js';
import { definitionOf } from '../core/store.js';
import { traceOf, type GivenTrace } from './file.js';
import { Redaction } from './redaction.js';
import { recompute } from './recompute.js';
import type { Step } from './step.js';
import { lineOf, patched, type States } from './timeline.js';

/** The first step at which today's code does something else than was recorded. */
export interface Divergence {
  readonly step: Step;
  /** The first place (RFC 6901) at which the states differ; absent where the step only became something else. */
  readonly pointer?: string;
  /** What was recorded at the pointer, or the recorded outcome. Absent where nothing stood there. */
  readonly expected?: unknown;
  /** What today's code makes of it. Absent where nothing stands there. */
  readonly found?: unknown;
  /** What today's code says, where the action now fails or is refused, or failed with this when it was recorded. */
  readonly reason?: string;
}

/** What a replay came to. */
export interface Replay {
  /** How many steps the replayed line has. */
  readonly steps: number;
  /** How many actions were run again, up to the divergence. */
  readonly actions: number;
  /** The steps that were taken as recorded, since a part of their action is redacted. */
  readonly onTrust: readonly number[];
  readonly divergence?: Divergence;
}

export interface ReplayOptions {
  /** The stores as the code has them today. */
  readonly stores: readonly AnyStore[];
  /** As for `createRuntime`. Default: `'report'` */
  readonly invariants?: 'report' | 'refuse';
  /** Which branch. Default: that of the last step. */
  readonly branch?: number;
  /** Told of each step. */
  readonly onStep?: (done: number, all: number) => void;
}

/**
 * Runs the recorded actions against today's code, and finds the first step at which it does something else. Facts (what
 * storages, tasks and resets stated) are taken as recorded; nothing is dispatched, no task runs.
 * @param file a trace file: its text, its lines, or what `readTrace` gave
 * @throws FLOE_NOT_A_TRACE, FLOE_TRACE_DAMAGED, FLOE_TRACE_TOO_NEW
 * @example
 * const { divergence } = replayTrace(readFileSync('shift.jsonl', 'utf8'), { stores });
 * expect(divergence).toBeUndefined();
 */
export function replayTrace(file: GivenTrace, options: ReplayOptions): Replay {
  checkOptions('replayTrace', options, ['stores', 'invariants', 'branch', 'onStep']);
  const { header, steps: all, states: start } = traceOf(file);
  const { stores, invariants = 'report', branch, onStep } = options;
  const tip = branch === undefined ? undefined : all.filter((step) => step.branch === branch).at(-1)?.seq;
  const line = lineOf(all, tip);
  const how = {
    model: new Model(stores.map(definitionOf)),
    redaction: new Redaction({ state: header.redacted ?? [] }),
    refuses: invariants === 'refuse',
    isExcluded: () => false,
    isOrphan: () => false,
  };
  const onTrust: number[] = [];
  let actions = 0;
  let recorded = start;
  for (let i = 0, end: number; i < line.length; i = end) {
    // Steps that stand or fall together are computed together.
    for (end = i + 1; line[i].group !== undefined && line[end]?.group === line[i].group; end++);
    const together = line.slice(i, end);
    const found: { readonly step: Step; readonly states: States }[] = [];
    const counting = together.filter((step) => !step.excluded);
    recompute(counting, recorded, how, (step, states) => found.push({ step: step as Step, states: { ...states } }));
    for (const [at, step] of counting.entries()) {
      const expected = patched(recorded, [step]);
      if (step.onTrust) onTrust.push(step.seq);
      else if (step.kind === 'action') {
        actions++;
        const divergence = divergenceAt(step, found[at].step, expected, found[at].states);
        if (divergence) return { steps: line.length, actions, onTrust, divergence };
      }
      recorded = expected;
    }
    onStep?.(end, line.length);
  }
  return { steps: line.length, actions, onTrust };
}

function divergenceAt(recorded: Step, found: Step, expected: States, states: States): Divergence | undefined {
  if (sameData(recorded.changes, found.changes) && alike(recorded.outcome, found.outcome)) return undefined;
  const reason = found.reason ?? recorded.reason;
  const [first] = difference(expected, states).changes;
  if (!first) {
    if (alike(recorded.outcome, found.outcome)) return undefined;
    const outcomes = { expected: recorded.outcome, found: found.outcome };
    return { step: recorded, ...outcomes, ...(reason !== undefined && { reason }) };
  }
  const keys = parsePointer(first.path);
  const [was, is] = [lookUp(expected, keys), lookUp(states, keys)];
  return {
    step: recorded,
    pointer: first.path,
    ...(was && { expected: was.value }),
    ...(is && { found: is.value }),
    ...(reason !== undefined && { reason }),
  };
}

/** Whether an action had an effect, or failed, counts; not in which words. */
const alike = (a: Outcome, b: Outcome): boolean =>
  a === b || (a !== 'failed' && b !== 'failed' && effectless(a) && effectless(b));
const effectless = (outcome: Outcome): boolean =>
  outcome === 'stopped' || outcome === 'waiting' || outcome === 'reverted';
