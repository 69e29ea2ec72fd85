// Reads trace files, line by line.
import { decode, FloeError, hasOwn, messageOf, MOST_NESTED } from '../core/internal.js';
import type { Patch } from '../core/index.js';
import { usualName } from './branches.js';
import { noSuchBranch, notATrace, traceCutShort, traceDamaged } from './errors.js';
import type { States } from './kept-states.js';
import { checkInteraction, checkMembers, isCount, isObject, isOptional, isTooDeep, toHeader } from './line-checks.js';
import type { BranchLine, CheckpointLine, Interaction, InteractionLine, Step, TraceHeader } from './step.js';
import type { RecordedLines } from './timeline.js';

/** What a trace file holds. */
export interface TraceFile extends RecordedLines {
  readonly header: TraceHeader;
  /** The states before its first step. */
  readonly states: States;
  /** What branches were called. */
  readonly names: readonly { readonly id: number; readonly name: string }[];
  /** What the user did, where a tool observed it. */
  readonly interactions: readonly Interaction[];
  /** Set when the file was cut short in its last line. */
  readonly problem?: FloeError;
}

/**
 * Reads a trace file.
 * @param lines its lines without line ends, or its whole text
 * @throws FLOE_NOT_A_TRACE, FLOE_TRACE_DAMAGED or FLOE_TRACE_TOO_NEW, with the line
 * @example
 * const { steps } = readTrace(readFileSync('shift.jsonl', 'utf8'));
 */
export function readTrace(lines: string | Iterable<string>): TraceFile {
  const reader = new TraceReader();
  const steps = new Map<number, Step>();
  for (const line of typeof lines === 'string' ? linesOf(lines) : lines) {
    const step = reader.line(line);
    if (step) steps.set(step.seq, step);
  }
  return reader.file([...steps.values()]);
}

/**
 * The steps of a branch of a file, oldest first.
 * @param branch Default: the one that the file shows
 * @throws FLOE_NO_SUCH_BRANCH
 */
export function lineOf({ steps, begun, present }: RecordedLines, branch = present): readonly Step[] {
  const empty = begun.find(({ id }) => id === branch);
  const known = new Set([...steps.map((step) => step.branch), ...begun.map(({ id }) => id)]);
  if (known.size > 0 && !known.has(branch)) throw noSuchBranch(branch, [...known]);
  const bySeq = new Map(steps.map((step) => [step.seq, step]));
  const line: Step[] = [];
  let at = empty ? empty.from : (steps.filter((step) => step.branch === branch).at(-1)?.seq ?? null);
  for (let step = bySeq.get(at ?? -1); step; step = bySeq.get(at ?? -1)) {
    line.push(step);
    at = step.after;
  }
  return line.reverse();
}

/** A trace as it may be given: its text, its lines, or what `readTrace` gave. */
export type GivenTrace = string | Iterable<string> | TraceFile;

export const traceOf = (given: GivenTrace): TraceFile =>
  typeof given === 'object' && 'header' in given ? given : readTrace(given);

/** One after the other, so that a long text is not held twice. */
function* linesOf(text: string): Iterable<string> {
  for (let from = 0; from <= text.length;) {
    const end = text.indexOf('\n', from);
    yield text.slice(from, end < 0 ? text.length : end);
    if (end < 0) return;
    from = end + 1;
  }
}

/** A line of a trace file, parsed. */
export interface ParsedLine {
  readonly value: unknown;
  /** It holds values that JSON cannot carry as they are. */
  readonly isEncoded: boolean;
}

/** Reads a trace file line by line. It keeps numbers of steps only, so that a file may be longer than memory. */
export class TraceReader {
  header: TraceHeader | undefined;
  /** See `TraceFile`. */
  folded: number | null = null;
  states: States = {};
  readonly names = new Map<number, string>();
  readonly begun = new Map<number, number | null>();
  present = 0;
  readonly interactions: Interaction[] = [];
  private number = 0;
  private broken: { readonly line: number; readonly why: string } | undefined;
  /** By number of a step: the step before it, and its branch. */
  private readonly places = new Map<number, { readonly after: number | null; readonly branch: number }>();
  private readonly branches = new Set<number>([0]);

  /** The step on this line, if it holds one; one with a number that was there before takes the place of that one. */
  line(given: string): Step | undefined {
    const parsed = this.parse(given);
    return parsed && this.take(parsed);
  }

  /** The first half of `line`: parses its text. A reader of long lines lets other work happen between the halves. */
  parse(given: string): ParsedLine | undefined {
    // Some editors begin a file with a byte order mark.
    const text = this.number++ === 0 && given.startsWith('\uFEFF') ? given.slice(1) : given;
    if (text.trim() === '') return undefined;
    // A broken line may be the last one, cut short; when another follows, the file is damaged.
    if (this.broken) throw traceDamaged(this.broken.line, this.broken.why);
    let value: unknown;
    try {
      value = JSON.parse(text);
    } catch (cause) {
      if (!this.header) throw notATrace(this.number, 'its first line is not JSON');
      this.broken = { line: this.number, why: messageOf(cause) };
      return undefined;
    }
    if (isTooDeep(text)) return this.fail(`it is nested more than ${MOST_NESTED.toLocaleString('en')} levels deep`);
    // Nearly all lines hold no leaf value that JSON cannot carry.
    return { value, isEncoded: text.includes('"floe:type"') };
  }

  /** The second half: checks what the line holds, and takes it. */
  take({ value, isEncoded }: ParsedLine): Step | undefined {
    if (!this.header) {
      this.header = toHeader(value, this.number);
      return undefined;
    }
    if (!isObject(value)) return this.fail('it is not a step');
    if (hasOwn(value, 'seq')) return this.step(value, isEncoded);
    if (hasOwn(value, 'checkpoint')) this.checkpoint(value);
    else if (hasOwn(value, 'interaction')) this.interaction(value);
    else if (hasOwn(value, 'name')) this.name(value);
    else this.fail('it is not a step');
    return undefined;
  }

  /** The end of the file: the problem with it, if it was cut short. */
  end(): FloeError | undefined {
    if (!this.header) throw notATrace(Math.max(1, this.number), 'it is empty');
    return this.broken && traceCutShort(this.broken.line, this.places.size);
  }

  /** All that the file holds, given the steps that `line` gave. */
  file(steps: readonly Step[]): TraceFile {
    const problem = this.end();
    const { folded, states, interactions } = this;
    const names = Array.from(this.names, ([id, name]) => ({ id, name }));
    const begun = Array.from(this.begun, ([id, from]) => ({ id, from }));
    const { present } = this;
    return {
      ...{ header: this.header!, steps, folded, states, names, present, begun, interactions },
      ...(problem && { problem }),
    };
  }

  private fail(why: string): never {
    throw traceDamaged(this.number, why);
  }

  private readonly check = (holds: boolean, why: string): void => {
    if (!holds) this.fail(why);
  };

  private decoded(value: unknown): unknown {
    try {
      return decode(value);
    } catch (cause) {
      return this.fail(messageOf(cause));
    }
  }

  private checkpoint({ checkpoint, states }: Partial<CheckpointLine>): void {
    this.check(checkpoint === null || isCount(checkpoint), "'checkpoint' is not the number of a step");
    this.check(isObject(states), "'states' is not an object");
    // Later ones are for readers that begin there.
    if (this.places.size > 0) return;
    this.folded = checkpoint!;
    this.states = this.decoded(states) as States;
  }

  private name({ branch, name, present, from }: Partial<BranchLine>): void {
    if (from !== undefined && isCount(branch)) {
      this.check(from === this.folded || this.places.has(from!), "'from' names no earlier step");
      this.branches.add(branch!);
      this.begun.set(branch!, from);
    }
    this.check(isCount(branch) && this.branches.has(branch!), "'branch' is not the number of a branch");
    this.check(typeof name === 'string', "'name' is not a text");
    this.check(
      isOptional(present, (value) => value === true),
      "'present' is not true",
    );
    if (!present || name !== usualName(branch!)) this.names.set(branch!, name!);
    if (present) this.present = branch!;
  }

  private interaction(found: Partial<Record<keyof InteractionLine, unknown>>): void {
    const { interaction: id, time, kind, name, role, key, typing, from, steps, changedPage } = found;
    checkInteraction(found, this.check);
    const read = {
      id,
      time,
      kind,
      name,
      ...(role !== undefined && { role }),
      ...(key !== undefined && { key }),
      ...(typing !== undefined && { typing }),
    };
    this.interactions.push({ ...read, from, steps, ...(changedPage !== undefined && { changedPage }) } as Interaction);
  }

  private step(found: Partial<Record<keyof Step | 'again', unknown>>, isEncoded: boolean): Step {
    const { seq, after, branch, again } = found;
    this.check(isCount(seq), "'seq' is not a whole number");
    this.check(isCount(branch), "'branch' is not a whole number");
    const known = this.places.get(seq as number);
    if (again === true) this.check(known?.after === after && known?.branch === branch, 'it repeats no step');
    else {
      this.check(!known, `step ${String(seq)} is there twice`);
      const isFirst = after === this.folded;
      this.check(isFirst || this.places.has(after as number), "'after' names no earlier step");
      this.check(after === null || (after as number) < (seq as number), "'after' is no smaller number than 'seq'");
      this.places.set(seq as number, { after: after as number | null, branch: branch as number });
      this.branches.add(branch as number);
      this.begun.delete(branch as number);
      this.present = branch as number;
    }
    checkMembers(found, this.check);
    if (again !== undefined) delete found.again;
    const step = found as unknown as Step;
    return isEncoded ? this.decodedStep(step) : step;
  }

  private decodedStep(step: Step): Step {
    const { action, run, changes, undo, given } = step;
    return {
      ...step,
      ...(action && 'payload' in action && { action: { ...action, payload: this.decoded(action.payload) } }),
      ...(run && { run: { ...run, args: this.decoded(run.args) as readonly unknown[] } }),
      changes: this.decodedPatch(changes),
      undo: this.decodedPatch(undo),
      ...(given && { given: this.decodedPatch(given) }),
    };
  }

  private decodedPatch(patch: Patch): Patch {
    return patch.map((operation) =>
      'value' in operation ? { ...operation, value: this.decoded(operation.value) } : operation,
    );
  }
}
