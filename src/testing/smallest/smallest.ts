// The smallest recording that still fails. (Zeller and Hildebrandt, "Simplifying and Isolating Failure-Inducing Input", 2002: parts are
// left out in halves, then in quarters, and so on; here they are whole causes.)
import {
  badOption,
  brokenRule,
  checkOptions,
  definitionOf,
  type FloeError,
  lookUp,
  Model,
  parsePointer,
  sameData,
} from '../../core/internal.js';
import type { AnyAction, AnyStore } from '../../core/index.js';
import { replayTrace, type GivenTrace, type RecordedFailure, type Step, type TraceFile } from '../../trace/index.js';
import {
  checkpointLine,
  lineOf,
  patched,
  recompute,
  Redaction,
  traceLines,
  traceOf,
  type Recomputing,
  type States,
} from '../../trace/internal.js';
import { nothingFails } from '../errors.js';
import { simpler } from './payloads.js';
import { unitsOf, type Unit } from './units.js';

/** What is so after a step, with today's code. */
export interface Moment {
  /** The states of all stores, by name. */
  readonly states: States;
  /** As today's code computes it. */
  readonly step: Step;
  /** What a change threw. */
  readonly error?: unknown;
}

/** How a recording fails. */
export type Failure =
  /** A rule does not hold: `port.no two visits alongside one berth`. */
  | { readonly rule: string }
  /** A change throws an error with this `code`, or of this class. */
  | { readonly error: string }
  /** Data stands at a place of the state tree (RFC 6901). */
  | { readonly pointer: string; readonly value: unknown }
  /** Today's code does something else than was recorded. */
  | 'differs'
  | ((moment: Moment) => boolean);

/** Options of `smallest`. */
export interface SmallestOptions {
  /** The stores as the code has them today. */
  readonly stores: readonly AnyStore[];
  /** When a recording fails: at the first step after which this is so. */
  readonly fails: Failure;
  /** Which branch. Default: the one that the file shows. */
  readonly branch?: number;
  /** Called after each recording that was tried, with how many were and how many steps are left. Default: nothing is called. */
  readonly onTry?: (tried: number, steps: number) => void;
}

/** The smallest recording. */
export interface Smallest {
  /** Its steps, as today's code computes them; the last one fails. */
  readonly steps: readonly Step[];
  /** The text of a trace file, which `write-test` makes a test of that fails. */
  readonly text: string;
  /** How many steps the given recording had up to there. */
  readonly of: number;
  /** How many recordings were tried. */
  readonly tried: number;
}

/** As many recordings are tried to make payloads simpler. */
const MOST_TRIED = 5000;

/**
 * Leaves steps, interactions and whole runs out of a recording, and then parts of payloads, as long as it still fails. Only what today's
 * code computes is looked at: actions are computed again, and what facts state is taken as recorded.
 * @param trace a trace file: its text, its lines, or what `readTrace` gave
 * @throws FLOE_NOTHING_FAILS where the whole recording does not fail; and as `readTrace`
 * @example
 * const { steps, text } = smallest(report, { stores, fails: { rule: 'port.no two visits alongside one berth' } });
 */
export function smallest(trace: GivenTrace, options: SmallestOptions): Smallest {
  checkOptions('smallest', options, ['stores', 'fails', 'branch', 'onTry']);
  const file = traceOf(trace);
  if (options.fails === 'differs') return differing(file, options);
  return new Shrinking(file, options).run();
}

/** The one step that does something else: what came before it is a state. */
function differing(file: TraceFile, { stores, branch }: SmallestOptions): Smallest {
  const { divergence } = replayTrace(file, { stores, ...(branch !== undefined && { branch }) });
  const line = lineOf(file, branch);
  if (!divergence) throw nothingFails(line.length);
  const at = line.findIndex(({ seq }) => seq === divergence.step.seq);
  const { group } = line[at];
  let first = at;
  while (group !== undefined && first > 0 && line[first - 1].group === group) first--;
  const steps = line.slice(first, at + 1).filter(({ excluded }) => !excluded);
  const states = patched(file.states, line.slice(0, first));
  return { steps, text: textOf(file, states, steps, { kind: 'differs' }), of: at + 1, tried: 1 };
}

class NotingModel extends Model {
  thrown: unknown;
  override apply(action: AnyAction, states: States): ReturnType<Model['apply']> {
    this.thrown = undefined;
    try {
      return super.apply(action, states);
    } catch (error) {
      this.thrown = error;
      throw error;
    }
  }
}

/** Thrown where a recording fails: the rest of it is not computed. */
const FAILED = Symbol('failed');

class Shrinking {
  private readonly model: NotingModel;
  private readonly how: Recomputing;
  private readonly holds: (moment: Moment) => boolean;
  private readonly units: ReadonlyMap<Step, Unit>;
  private readonly line: readonly Step[];
  /** The steps that are left, with the states before each. */
  private left: readonly Step[];
  private before: readonly States[] = [];
  private computed: readonly Step[] = [];
  /** The payloads that took the place of recorded ones. */
  private readonly actions = new Map<Step, AnyAction>();
  private tried = 0;

  constructor(
    private readonly file: TraceFile,
    private readonly options: SmallestOptions,
  ) {
    this.model = new NotingModel(options.stores.map(definitionOf));
    this.how = {
      model: this.model,
      redaction: new Redaction({ state: file.header.redacted ?? [] }),
      refuses: false,
      isExcluded: () => false,
      isOrphan: () => false,
    };
    this.holds = judgeOf(options.fails);
    this.line = lineOf(file, options.branch).filter(({ excluded }) => !excluded);
    this.units = unitsOf(this.line, file.interactions);
    this.left = this.line;
  }

  run(): Smallest {
    if (!this.accept(this.line)) throw nothingFails(this.line.length);
    const of = this.left.length;
    const units = new Set(this.units.values());
    const deepest = Math.max(0, ...Array.from(units, ({ depth }) => depth));
    for (let before = -1; before !== this.left.length;) {
      before = this.left.length;
      for (let depth = 0; depth <= deepest; depth++) this.leaveOut(depth);
    }
    for (const step of this.left) this.simplify(step);
    const { computed, tried } = this;
    const failure = recordedOf(this.options.fails);
    return { steps: computed, text: textOf(this.file, this.file.states, computed, failure), of, tried };
  }

  /** Leaves units of one depth out, the last ones first: what comes before them is not computed again. */
  private leaveOut(depth: number): void {
    for (let size = this.unitsAt(depth).length >> 1 || 1; ; size >>= 1) {
      const units = this.unitsAt(depth);
      for (let end = units.length; end > 0; end -= size) {
        const out = new Set(units.slice(Math.max(0, end - size), end));
        this.accept(this.left.filter((step) => !isBelow(this.units.get(step), out)));
      }
      if (size <= 1) return;
    }
  }

  private unitsAt(depth: number): readonly Unit[] {
    const found = new Set<Unit>();
    for (const step of this.left)
      for (let unit = this.units.get(step); unit; unit = unit.parent) if (unit.depth === depth) found.add(unit);
    return [...found];
  }

  private simplify(step: Step): void {
    if (step.kind !== 'action' || step.onTrust || !('payload' in step.action!)) return;
    for (let isSimpler = true; isSimpler && this.tried < MOST_TRIED;) {
      isSimpler = false;
      const action = this.actions.get(step) ?? step.action;
      for (const payload of simpler(action.payload)) {
        if (this.tried >= MOST_TRIED) break;
        this.actions.set(step, { type: action.type, payload });
        if (this.accept(this.left, this.left.indexOf(step))) {
          isSimpler = true;
          break;
        }
        this.actions.set(step, action);
      }
    }
  }

  /** Takes other steps in the place of those that are left, where they still fail. @param given how many of the first are the same */
  private accept(steps: readonly Step[], given?: number): boolean {
    if (this.tried > 0 && given === undefined && steps.length === this.left.length) return false;
    let first = given ?? 0;
    // What was computed up to the first difference is the same; a transaction is computed as a whole.
    if (given === undefined) while (first < steps.length && steps[first] === this.left[first]) first++;
    first = Math.min(first, this.before.length);
    while (first > 0 && first < steps.length && inOneGroup(steps[first - 1], steps[first])) first--;
    const before: States[] = this.before.slice(0, first);
    const computed: Step[] = this.computed.slice(0, first);
    let states = first === 0 ? this.file.states : (this.before[first] ?? this.file.states);
    const wanted = steps.slice(first).map((step) => {
      const action = this.actions.get(step);
      return action ? { ...step, action } : step;
    });
    this.tried++;
    const failed = this.failedAt(wanted, states, (step, after) => {
      before.push(states);
      computed.push(step);
      states = after;
    });
    this.options.onTry?.(this.tried, this.left.length);
    if (!failed) return false;
    this.left = steps.slice(0, computed.length);
    this.before = before;
    this.computed = computed;
    return true;
  }

  /** Computes steps up to the one that fails; whether one does. */
  private failedAt(steps: readonly Step[], from: States, each: (step: Step, after: States) => void): boolean {
    try {
      recompute(steps, from, this.how, (found, after) => {
        const step = found as Step;
        const states = { ...after };
        each(step, states);
        const error = step.outcome === 'failed' ? this.model.thrown : undefined;
        if (this.holds({ states, step, ...(error !== undefined && { error }) })) throw FAILED;
      });
    } catch (end) {
      if (end === FAILED) return true;
      throw end;
    }
    return false;
  }
}

const inOneGroup = (a: Step, b: Step): boolean => a.group !== undefined && a.group === b.group;

function isBelow(unit: Unit | undefined, out: ReadonlySet<Unit>): boolean {
  for (let one = unit; one; one = one.parent) if (out.has(one)) return true;
  return false;
}

/** What the message of a rule says that threw. */
const THREW = ' (it threw: ';

/** @throws FLOE_BAD_OPTION */
function judgeOf(fails: Failure): (moment: Moment) => boolean {
  if (typeof fails === 'function') return fails;
  if (typeof fails === 'object' && 'rule' in fails) {
    const start = brokenRule(fails.rule);
    // A rule that threw does not hold either, but that is another failure: data that is made simpler often lacks what rules look at.
    let threw: boolean | undefined;
    return ({ step: { problems = [] } }) =>
      problems.some((one) => one.startsWith(start) && (threw ??= one.includes(THREW)) === one.includes(THREW));
  }
  if (typeof fails === 'object' && 'error' in fails)
    return ({ error }) => {
      // The error of the change is the cause of the one that Floe throws.
      for (let one = error as Partial<FloeError> | undefined; one; one = one.cause as typeof one)
        if (one.code === fails.error || one.name === fails.error) return true;
      return false;
    };
  if (typeof fails === 'object' && 'pointer' in fails) {
    const keys = parsePointer(fails.pointer);
    return ({ states }) => {
      const found = lookUp(states, keys);
      return found !== undefined && sameData(found.value, fails.value);
    };
  }
  throw badOption('smallest', 'fails', "takes { rule }, { error }, { pointer, value }, 'differs' or a function");
}

/** What the header says of it: a test is made from that. */
function recordedOf(fails: Failure): RecordedFailure | undefined {
  if (typeof fails !== 'object') return undefined;
  if ('rule' in fails) return { kind: 'rule', what: fails.rule };
  if ('error' in fails) return { kind: 'error', what: fails.error };
  return { kind: 'value', what: fails.pointer, value: fails.value };
}

/** A recording of steps, which are numbered from 0 on. */
function textOf(
  { header: { redacted, application }, interactions }: TraceFile,
  states: States,
  steps: readonly Step[],
  failure: RecordedFailure | undefined,
): string {
  const numbers = new Map(steps.map(({ seq }, i) => [seq, i]));
  const renumbered = steps.map((step, i): Step => {
    const { cause, about, alsoAbout, ...rest } = step;
    const led = cause.step === undefined ? undefined : numbers.get(cause.step);
    const { step: _step, ...by } = cause;
    const of = about === undefined ? undefined : numbers.get(about);
    const also = (alsoAbout ?? []).flatMap((seq) => numbers.get(seq) ?? []);
    return {
      ...rest,
      ...{ seq: i, after: i === 0 ? null : i - 1, branch: 0 },
      cause: led === undefined ? by : { ...by, step: led },
      ...(of !== undefined && { about: of }),
      ...(also.length > 0 && { alsoAbout: also }),
    };
  });
  const kept = interactions.flatMap((one) => {
    const own = steps.flatMap(({ seq }, i) => (seq >= one.from && seq < one.from + one.steps ? [i] : []));
    return own.length > 0 ? [{ ...one, from: own[0], steps: own.length }] : [];
  });
  const lines = traceLines(
    {
      steps: renumbered,
      interactions: kept,
      ...(redacted && { redacted }),
      ...(application && { application }),
      ...(failure && { fails: failure }),
    },
    new Date(steps[0]?.time ?? 0),
  );
  const [header, ...rest] = lines;
  const begin = Object.keys(states).length > 0 ? [checkpointLine(null, states)] : [];
  return [header, ...begin, ...rest, ''].join('\n');
}
