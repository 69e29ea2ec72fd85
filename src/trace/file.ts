// Trace files: JSON Lines (one JSON value a line). A header, then one line a step.
import { decode, encode } from '../core/encode.js';
import { FloeError, messageOf } from '../core/errors.js';
import type { Patch } from '../core/index.js';
import { hasOwn } from '../core/plain.js';
import { notATrace, traceCutShort, traceDamaged, traceTooNew } from './errors.js';
import { TRACE_VERSION, type Step, type TraceHeader } from './step.js';

/** The lines of a trace file, each without its line end. */
export function* traceLines(steps: Iterable<Step>, written: Date): Generator<string> {
  const header: TraceHeader = { floe: 'trace', version: TRACE_VERSION, written: written.toISOString() };
  yield JSON.stringify(header);
  for (const step of steps) yield JSON.stringify(toLine(step));
}

const toLine = (step: Step): unknown => ({
  ...step,
  // A microsecond is finer than any clock here.
  took: Math.round(step.took * 1000) / 1000,
  ...(step.action && { action: encodeAction(step.action) }),
  ...(step.run && { run: { ...step.run, args: encode(step.run.args) } }),
  changes: encodePatch(step.changes),
  undo: encodePatch(step.undo),
});

const encodeAction = (action: NonNullable<Step['action']>): unknown =>
  'payload' in action ? { type: action.type, payload: encode(action.payload) } : { type: action.type };

const encodePatch = (patch: Patch): unknown =>
  patch.map((operation) => ('value' in operation ? { ...operation, value: encode(operation.value) } : operation));

/** What a trace file holds. */
export interface TraceFile {
  readonly header: TraceHeader;
  readonly steps: readonly Step[];
  /** Set when the file was cut short in its last line. */
  readonly problem?: FloeError;
}

/**
 * Reads a trace file.
 * @param lines its lines without line ends, or its whole text
 * @throws FLOE_NOT_A_TRACE, FLOE_TRACE_DAMAGED or FLOE_TRACE_TOO_NEW, with the line
 */
export function readTrace(lines: string | Iterable<string>): TraceFile {
  const reader = new TraceReader();
  const all = typeof lines === 'string' ? lines.split('\n') : lines;
  const steps: Step[] = [];
  for (const line of all) {
    const step = reader.line(line);
    if (step) steps.push(step);
  }
  const problem = reader.end();
  return { header: reader.header!, steps, ...(problem && { problem }) };
}

/** Reads a trace file line by line. */
export class TraceReader {
  header: TraceHeader | undefined;
  private number = 0;
  private steps = 0;
  private broken: { readonly line: number; readonly why: string } | undefined;
  private readonly known = new Set<number>();

  /** The step on this line, if it holds one. */
  line(text: string): Step | undefined {
    this.number++;
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
    if (!this.header) {
      this.header = toHeader(value, this.number);
      return undefined;
    }
    const step = this.toStep(value);
    this.steps++;
    this.known.add(step.seq);
    return step;
  }

  /** The end of the file: the problem with it, if it was cut short. */
  end(): FloeError | undefined {
    if (!this.header) throw notATrace(Math.max(1, this.number), 'it is empty');
    return this.broken && traceCutShort(this.broken.line, this.steps);
  }

  private toStep(value: unknown): Step {
    const fail = (why: string): never => {
      throw traceDamaged(this.number, why);
    };
    const found = (isObject(value) ? value : fail('it is not a step')) as Partial<Record<keyof Step, unknown>>;
    const check = (holds: boolean, why: string): void => {
      if (!holds) fail(why);
    };
    const isCount = (count: unknown): boolean => Number.isSafeInteger(count) && (count as number) >= 0;
    check(isCount(found.seq), "'seq' is not a whole number");
    check(!this.known.has(found.seq as number), `step ${String(found.seq)} is there twice`);
    check(found.after === null || this.known.has(found.after as number), "'after' names no earlier step");
    check(isCount(found.branch), "'branch' is not a whole number");
    check(Number.isFinite(found.time) && Number.isFinite(found.took), "'time' and 'took' must be numbers");
    check(found.kind === 'action' || found.kind === 'fact', "'kind' is neither 'action' nor 'fact'");
    check(typeof found.outcome === 'string', "'outcome' is not a text");
    check(isObject(found.cause) && typeof (found.cause as { by?: unknown }).by === 'string', "'cause' is not a cause");
    check(
      Array.isArray(found.stores) && found.stores.every((name) => typeof name === 'string'),
      "'stores' is not a list of names",
    );
    const { action, run } = found;
    if (run !== undefined)
      check(
        isObject(run) && typeof (run as { task?: unknown }).task === 'string' && isCount((run as { id?: unknown }).id),
        "'run' is not a run of a task",
      );
    if (found.kind === 'action')
      check(isObject(action) && typeof (action as { type?: unknown }).type === 'string', "'action' is not an action");
    try {
      return {
        ...(found as unknown as Step),
        ...(isObject(action) && {
          action: hasOwn(action, 'payload')
            ? { ...action, payload: decode((action as { payload?: unknown }).payload) }
            : action,
        }),
        ...(isObject(run) && { run: { ...run, args: decode((run as { args?: unknown }).args) } }),
        changes: toPatch(found.changes, "'changes'", fail),
        undo: toPatch(found.undo, "'undo'", fail),
      } as Step;
    } catch (cause) {
      if (cause instanceof FloeError && cause.code === 'FLOE_TRACE_DAMAGED') throw cause;
      return fail(messageOf(cause));
    }
  }
}

const isObject = (value: unknown): value is object =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

function toHeader(value: unknown, line: number): TraceHeader {
  const header = value as Partial<TraceHeader> | null;
  if (!isObject(header) || header.floe !== 'trace') throw notATrace(line, 'its first line is not the header');
  if (!Number.isSafeInteger(header.version) || header.version! < 1) throw notATrace(line, 'its header has no version');
  if (header.version! > TRACE_VERSION) throw traceTooNew(header.version, TRACE_VERSION);
  return header as TraceHeader;
}

function toPatch(value: unknown, name: string, fail: (why: string) => never): Patch {
  if (!Array.isArray(value)) return fail(`${name} is not a JSON Patch`);
  return value.map((operation: unknown) => {
    if (!isObject(operation) || typeof (operation as { path?: unknown }).path !== 'string')
      return fail(`${name} holds something that is not an operation`);
    return hasOwn(operation, 'value')
      ? { ...operation, value: decode((operation as { value?: unknown }).value) }
      : operation;
  }) as unknown as Patch;
}
