// Runs what was recorded against today's code.
import {
  checkOptions,
  definitionOf,
  differenceOfStates,
  escapeKey,
  type FloeError,
  lookUp,
  messageOf,
  Model,
  parsePointer,
  sameData,
  type StoreDefinition,
} from '../core/internal.js';
import type { AnyStore, Outcome } from '../core/index.js';
import { lineOf, traceOf, type GivenTrace } from './file-reading.js';
import { Redaction } from './redaction/redaction.js';
import { holdsRedacted } from './redaction/secrets.js';
import { recompute, recomputed, type Recomputing } from './recompute.js';
import type { Step } from './step.js';
import { patched, type States } from './kept-states.js';

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
  /** The steps that were taken as recorded, since a part of their action, or of the state that they began with, is redacted. */
  readonly onTrust: readonly number[];
  readonly divergence?: Divergence;
}

/** Options of `replayTrace`. */
export interface ReplayOptions {
  /** The stores as the code has them today. */
  readonly stores: readonly AnyStore[];
  /** As for `createRuntime`. Default: `'report'` */
  readonly invariants?: 'report' | 'refuse';
  /** Which branch. Default: the one that the file shows. */
  readonly branch?: number;
  /** Called after each step, with how many steps are done and how many there are. Default: nothing is called. */
  readonly onStep?: (done: number, all: number) => void;
}

/**
 * Runs the recorded actions against today's code, and finds the first step at which it does something else. Facts (what
 * storages, tasks and resets stated) are taken as recorded; nothing is dispatched, no task runs.
 * @param file a trace file: its text, its lines, or what `readTrace` gave
 * @throws FLOE_NOT_A_TRACE, FLOE_TRACE_DAMAGED, FLOE_TRACE_TOO_NEW, FLOE_NO_SUCH_BRANCH
 * @example
 * const { divergence } = replayTrace(readFileSync('shift.jsonl', 'utf8'), { stores });
 * expect(divergence).toBeUndefined();
 */
export function replayTrace(file: GivenTrace, options: ReplayOptions): Replay {
  checkOptions('replayTrace', options, ['stores', 'invariants', 'branch', 'onStep']);
  const given = traceOf(file);
  const { header, states: start } = given;
  const { stores, invariants = 'report', branch, onStep } = options;
  const line = lineOf(given, branch);
  const replaying = new Replaying(
    stores.map(definitionOf),
    new Redaction({ state: header.redacted ?? [] }),
    invariants,
  );
  const since = replaying.storesSince(start, line);
  const onTrust: number[] = [];
  let actions = 0;
  let recorded = start;
  for (const [i, step] of line.entries()) {
    if (!step.excluded) {
      const expected = patched(recorded, [step]);
      if (step.onTrust) onTrust.push(step.seq);
      else if (step.kind === 'action') {
        actions++;
        const divergence = replaying.isRolledBack(line, i, recorded)
          ? undefined
          : (replaying.divergenceAt(step, recorded, expected, endOf(line, i)) ?? replaying.newAnswer(step, since));
        if (divergence === 'on trust') onTrust.push(step.seq);
        else if (divergence) return { steps: line.length, actions, onTrust, divergence };
      }
      recorded = expected;
    }
    onStep?.(i + 1, line.length);
  }
  return { steps: line.length, actions, onTrust };
}

/** The names of stores that the steps of one transaction changed, where a step ends it; else nothing. */
function endOf(line: readonly Step[], index: number): ReadonlySet<string> | undefined {
  const { group } = line[index];
  if (group === undefined || (line[index + 1] as Step | undefined)?.group === group) return undefined;
  const names = new Set<string>();
  for (let i = index; i >= 0 && line[i].group === group; i--) for (const name of line[i].stores) names.add(name);
  return names;
}

class Replaying {
  private readonly model: Model;
  private readonly how: Recomputing;

  constructor(
    private readonly stores: readonly StoreDefinition[],
    private readonly redaction: Redaction,
    private readonly invariants: 'report' | 'refuse',
  ) {
    this.model = new Model(stores);
    this.how = {
      model: this.model,
      redaction,
      refuses: invariants === 'refuse',
      isExcluded: () => false,
      isOrphan: () => false,
    };
  }

  /**
   * Whether a step is part of a transaction that failed as a whole, as it did when it was recorded: each of its actions is
   * noted as failed, though only one of them was at fault.
   */
  isRolledBack(line: readonly Step[], index: number, before: States): boolean {
    const { group } = line[index];
    if (group === undefined) return false;
    if (this.together?.group !== group) {
      let end = index;
      while ((line[end] as Step | undefined)?.group === group) end++;
      const steps = line.slice(index, end).filter(({ excluded }) => !excluded);
      const failed = (step: Step): boolean => step.kind === 'action' && step.outcome === 'failed' && !step.caught;
      const found: Step[] = [];
      if (steps.some(failed)) recompute(steps, before, this.how, (step) => found.push(step as Step));
      this.together = { group, isRolledBack: found.some(failed) };
    }
    return this.together.isRolledBack;
  }
  private together: { readonly group: number; readonly isRolledBack: boolean } | undefined;

  /** The stores that were nowhere when it was recorded. */
  storesSince(start: States, line: readonly Step[]): readonly StoreDefinition[] {
    const known = new Set(Object.keys(start));
    for (const { changes } of line) for (const { path } of changes) known.add(parsePointer(path)[0]);
    return this.stores.filter(({ name }) => !known.has(name));
  }

  /** What a store does that was not there when the action was recorded. */
  newAnswer(step: Step, since: readonly StoreDefinition[]): Divergence | undefined {
    if (step.outcome !== 'applied' && step.outcome !== 'unchanged') return undefined;
    for (const store of since) {
      const found = this.model.fromBeginning(store, step.action!);
      if (found)
        return {
          step,
          pointer: `/${escapeKey(store.name)}`,
          ...(found.after !== undefined && { found: found.after }),
          reason: found.error ?? `the store '${store.name}', which handles it now, was not there`,
        };
    }
    return undefined;
  }

  /** @param ended the stores of the transaction that ends here */
  divergenceAt(
    recorded: Step,
    before: States,
    expected: States,
    ended: ReadonlySet<string> | undefined,
  ): Divergence | 'on trust' | undefined {
    const { step: found, after } = recomputed(recorded, before, this.how);
    const isSame = sameData(recorded.changes, found.changes) && alike(recorded.outcome, found.outcome);
    if (isSame) return this.brokenAt(recorded, after, ended);
    const reason = found.reason ?? recorded.reason;
    const { changes } = differenceOfStates(expected, after);
    const first = changes.find(({ path }) => {
      const [store] = parsePointer(path);
      return !this.redaction.rules.covers(store) && !holdsRedacted(expected[store]);
    });
    const trusted = this.isOnTrust(recorded, found, before);
    if (!first) {
      if (alike(recorded.outcome, found.outcome)) return changes.length > 0 ? 'on trust' : undefined;
      if (trusted) return 'on trust';
      const outcomes = { expected: recorded.outcome, found: found.outcome };
      return { step: recorded, ...outcomes, ...(reason !== undefined && { reason }) };
    }
    // It failed as a whole where it could not know what it was about.
    if (trusted && (found.outcome === 'failed' || recorded.outcome === 'failed')) return 'on trust';
    const keys = parsePointer(first.path);
    const [was, is] = [lookUp(expected, keys), lookUp(after, keys)];
    return {
      step: recorded,
      pointer: first.path,
      ...(was && { expected: was.value }),
      ...(is && { found: is.value }),
      ...(reason !== undefined && { reason }),
    };
  }

  /** A transaction after which a rule would not hold now. */
  private brokenAt(step: Step, after: States, ended: ReadonlySet<string> | undefined): Divergence | undefined {
    if (!ended || this.invariants !== 'refuse' || !isEffective(step.outcome)) return undefined;
    const [broken] = this.model.broken(ended, after, 'atomic');
    return (broken as FloeError | undefined)
      ? { step, expected: step.outcome, found: 'refused', reason: messageOf(broken) }
      : undefined;
  }

  /** Whether one of the stores that handle an action has redacted places: its changes did not find what they had found. */
  private isOnTrust(recorded: Step, found: Step, before: States): boolean {
    const names = [...recorded.stores, ...found.stores, ...this.model.handlingStores(recorded.action!)];
    return names.some(
      (name) => this.redaction.rules.covers(name) || holdsRedacted(before[name]) || holdsRedacted(recorded.changes),
    );
  }
}

const isEffective = (outcome: Outcome): boolean => outcome === 'applied' || outcome === 'unchanged';

/** Whether an action had an effect, or failed, counts; not in which words. */
const alike = (a: Outcome, b: Outcome): boolean =>
  a === b || (a !== 'failed' && b !== 'failed' && effectless(a) && effectless(b));
const effectless = (outcome: Outcome): boolean =>
  outcome === 'stopped' || outcome === 'waiting' || outcome === 'reverted';
