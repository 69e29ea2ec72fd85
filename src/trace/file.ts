// Trace files: JSON Lines (one JSON value a line). A header, then a line a step, with checkpoints and names of branches
// between them. `docs/schemas/trace-line.schema.json` describes a line.
import { decode, encode, FloeError, hasOwn, messageOf, MOST_NESTED } from '../core/internal.js';
import type { Patch, PatchOperation } from '../core/index.js';
import { noSuchBranch, notATrace, traceCutShort, traceDamaged, traceTooNew } from './errors.js';
import {
  TRACE_VERSION,
  type Branch,
  type BranchLine,
  type CheckpointLine,
  type Interaction,
  type InteractionLine,
  type Step,
  type TraceHeader,
} from './step.js';
import { usualName, type RecordedLines, type States } from './timeline.js';

// ---- writing ----

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
}

/** The lines of a trace file, each without its line end. */
export function* traceLines(
  { steps, folded = null, states, names = [], present, interactions = [], redacted = [] }: TraceContents,
  written: Date,
): Generator<string> {
  const header: TraceHeader = {
    floe: 'trace',
    version: TRACE_VERSION,
    written: written.toISOString(),
    ...(redacted.length > 0 && { redacted }),
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

// ---- reading ----

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

  private check(holds: boolean, why: string): void {
    if (!holds) this.fail(why);
  }

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
    const { interaction: id, time, kind, name, role, key, from, steps } = found;
    this.check(
      isCount(id) && isCount(from) && isCount(steps),
      "'interaction', 'from' or 'steps' is not a whole number",
    );
    this.check(Number.isFinite(time), "'time' must be a number");
    this.check(INTERACTIONS.has(kind as string), "'kind' is no kind of interaction");
    this.check(isText(name), "'name' is not a text");
    this.check(isOptional(role, isText) && isOptional(key, isText), "'role' or 'key' is not a text");
    const read = { id, time, kind, name, ...(role !== undefined && { role }), ...(key !== undefined && { key }) };
    this.interactions.push({ ...read, from, steps } as Interaction);
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
    this.check(Number.isFinite(found.time) && Number.isFinite(found.took), "'time' and 'took' must be numbers");
    this.check(found.kind === 'action' || found.kind === 'fact', "'kind' is neither 'action' nor 'fact'");
    this.check(OUTCOMES.has(found.outcome as string), "'outcome' is not an outcome");
    this.check(isCause(found.cause), "'cause' is not a cause");
    this.check(isTexts(found.stores), "'stores' is not a list of names");
    const { action, run } = found;
    if (run !== undefined) this.check(isRun(run), "'run' is not a run of a task");
    if (found.kind === 'action' || action !== undefined)
      this.check(
        isObject(action) && typeof (action as { type?: unknown }).type === 'string',
        "'action' is not an action",
      );
    this.checkMore(found);
    this.checkPatch(found.changes, "'changes'");
    this.checkPatch(found.undo, "'undo'");
    if (found.given !== undefined) this.checkPatch(found.given, "'given'");
    if (again !== undefined) delete found.again;
    const step = found as unknown as Step;
    return isEncoded ? this.decodedStep(step) : step;
  }

  /** The members that few steps have. */
  private checkMore(found: Partial<Record<keyof Step | 'again', unknown>>): void {
    for (const name in found) {
      const value = found[name as keyof Step];
      if (TEXTS.has(name)) this.check(typeof value === 'string', `'${name}' is not a text`);
      else if (COUNTS.has(name)) this.check(isCount(value), `'${name}' is not a whole number`);
      else if (name === 'alsoAbout') this.check(isCounts(value), `'${name}' is not a list of whole numbers`);
      else if (MARKS.has(name)) this.check(value === true, `'${name}' is not true`);
      else if (name === 'problems') this.check(isTexts(value), "'problems' is not a list of texts");
      else if (name === 'moves' || name === 'givenMoves')
        this.check(Array.isArray(value) && value.every(isMoves), `'${name}' does not tell where items went`);
    }
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

  private checkPatch(value: unknown, name: string): void {
    this.check(Array.isArray(value), `${name} is not a JSON Patch`);
    this.check((value as readonly unknown[]).every(isOperation), `${name} holds something that is not an operation`);
  }
}

/** Whether the values of a line are nested more deeply than state may be. */
function isTooDeep(text: string): boolean {
  const most = MOST_NESTED + LEVELS_OF_A_STEP;
  // So deep a line is long: of nearly all of them only the length is looked at.
  if (text.length < 2 * most) return false;
  let depth = 0;
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i);
    // Most of a line is texts: they are passed over at once.
    if (code === QUOTE) i = endOfText(text, i);
    else if (code === OPENING_BRACE || code === OPENING_BRACKET) {
      if (++depth > most) return true;
    } else if (code === CLOSING_BRACE || code === CLOSING_BRACKET) depth--;
  }
  return false;
}

/** The index of the quote that ends a JSON text, given the one that begins it. */
function endOfText(text: string, begin: number): number {
  for (let end = text.indexOf('"', begin + 1); end >= 0; end = text.indexOf('"', end + 1)) {
    let slashes = 0;
    while (text.charCodeAt(end - 1 - slashes) === BACKSLASH) slashes++;
    // An even number of backslashes are themselves escaped.
    if (slashes % 2 === 0) return end;
  }
  return text.length;
}

/** A step holds patches, those operations, and those values. */
const LEVELS_OF_A_STEP = 4;
const [QUOTE, BACKSLASH] = [34, 92];
const [OPENING_BRACKET, CLOSING_BRACKET, OPENING_BRACE, CLOSING_BRACE] = [91, 93, 123, 125];

const isObject = (value: unknown): value is object =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

const isCount = (count: unknown): boolean => Number.isSafeInteger(count) && (count as number) >= 0;

const OUTCOMES = new Set(['applied', 'unchanged', 'waiting', 'stopped', 'refused', 'failed', 'reverted']);
const PHASES = new Set(['running', 'done', 'failed', 'cancelled', 'skipped']);
const OPERATIONS = new Set(['add', 'remove', 'replace', 'move', 'copy', 'test']);
const INTERACTIONS = new Set(['click', 'key', 'submit', 'input']);
const TEXTS = new Set(['fact', 'reason', 'stack', 'note', 'title']);
const COUNTS = new Set(['group', 'about', 'count']);
const MARKS = new Set(['caught', 'excluded', 'orphan', 'onTrust', 'again']);

const isText = (value: unknown): boolean => typeof value === 'string';

/** A place in the state of a store: no operation is about the state tree as a whole. */
const isPlace = (value: unknown): boolean =>
  typeof value === 'string' && value.startsWith('/') && !/~(?![01])/.test(value);

const isTexts = (value: unknown): boolean => Array.isArray(value) && value.every(isText);

const isCounts = (value: unknown): boolean => Array.isArray(value) && value.every(isCount);

const isOptional = (value: unknown, is: (value: unknown) => boolean): boolean => value === undefined || is(value);

function isCause(cause: unknown): boolean {
  if (!isObject(cause)) return false;
  const { by, step, run, action } = cause as Record<string, unknown>;
  return isText(by) && isOptional(step, isCount) && isOptional(run, isCount) && isOptional(action, isText);
}

function isOperation(operation: unknown): boolean {
  if (!isObject(operation)) return false;
  const { op, path, from, before } = operation as Record<string, unknown>;
  return OPERATIONS.has(op as string) && isPlace(path) && isOptional(from, isPlace) && isOptional(before, isText);
}

function isMoves(moves: unknown): boolean {
  if (!isObject(moves)) return false;
  const { list, items } = moves as Record<string, unknown>;
  return isPlace(list) && Array.isArray(items) && items.every(isMove);
}

const isMove = (move: unknown): boolean =>
  Array.isArray(move) && move.length === 2 && isCount(move[0]) && (move[1] === null || isCount(move[1]));

function isRun(run: unknown): boolean {
  if (!isObject(run)) return false;
  const { id, task, args, phase, saw } = run as Record<string, unknown>;
  const isList = Array.isArray(args) && isOptional(saw, Array.isArray);
  return typeof task === 'string' && isCount(id) && isList && PHASES.has(phase as string);
}

function toHeader(value: unknown, line: number): TraceHeader {
  const header = value as Partial<TraceHeader> | null;
  if (!isObject(header) || header.floe !== 'trace') throw notATrace(line, 'its first line is not the header');
  if (!Number.isSafeInteger(header.version) || header.version! < 1) throw notATrace(line, 'its header has no version');
  if (header.version! > TRACE_VERSION) throw traceTooNew(header.version, TRACE_VERSION);
  const { redacted } = header;
  if (redacted !== undefined && !isTexts(redacted))
    throw notATrace(line, "its header's 'redacted' is not a list of pointers");
  return header as TraceHeader;
}
