// The catalogue of the trace's errors; `docs/reference/errors.md` explains each.
import { messageOf, nearest } from '../core/internal.js';
import { FloeError } from '../core/index.js';

export const notATrace = (line: number, why: string): FloeError =>
  new FloeError(
    'FLOE_NOT_A_TRACE',
    `This is not a trace file: ${why} (line ${line}). A trace file starts with {"floe":"trace",...}; make one with runtime.trace.export().`,
  );

export const traceDamaged = (line: number, why: string): FloeError =>
  new FloeError(
    'FLOE_TRACE_DAMAGED',
    `The trace file is damaged at line ${line}: ${why}. The lines before it are whole: cut the file there to open them.`,
  );

/** A step of a file whose patch says something that cannot be. */
export const stepDamaged = (seq: number, way: 'changes' | 'undo', cause: unknown): FloeError =>
  new FloeError(
    'FLOE_TRACE_DAMAGED',
    `The trace file is damaged at step ${seq}: its '${way}' do not fit the state there. ${messageOf(cause)} Cut the file before that step to open what comes before it.`,
    { cause },
  );

export const traceCutShort = (line: number, steps: number): FloeError =>
  new FloeError(
    'FLOE_TRACE_CUT_SHORT',
    `The trace file ends in the middle of line ${line}: the ${steps} whole steps before it were opened. Export it again for the rest.`,
  );

export const traceTooNew = (found: unknown, known: number): FloeError =>
  new FloeError(
    'FLOE_TRACE_TOO_NEW',
    `The trace file has format version ${JSON.stringify(found)}; this version of floe reads up to ${known}. Update floe to open it.`,
  );

export const noSuchStep = (seq: unknown, first: number, last: number): FloeError =>
  new FloeError(
    'FLOE_NO_SUCH_STEP',
    `There is no step ${String(seq)} on this branch: its steps go from ${first} to ${last}.`,
  );

export const noSuchBranch = (id: unknown, known: readonly number[]): FloeError =>
  new FloeError(
    'FLOE_NO_SUCH_BRANCH',
    `There is no branch ${String(id)}: there ${known.length === 1 ? 'is' : 'are'} ${known.join(', ')}.`,
  );

export const stepFolded = (seq: number, first: number): FloeError =>
  new FloeError(
    'FLOE_STEP_FOLDED',
    `Step ${seq} is no longer kept: the trace begins with step ${first}. Keep more: recording({ limit: 100_000 }).`,
  );

export const nothingToTest = (from: number | undefined, to: number | undefined): FloeError =>
  new FloeError(
    'FLOE_NOTHING_TO_TEST',
    `No action lies between ${from === undefined ? 'the first step' : `step ${from}`} and ${to === undefined ? 'the last' : `step ${to}`} that a test could dispatch. Choose a range with an applied or failed action.`,
  );

export const isFact = (seq: number, fact: string | undefined): FloeError =>
  new FloeError(
    'FLOE_NOT_EXCLUDABLE',
    `Step ${seq} cannot be excluded: it states a fact (${fact ?? 'unknown'}). Exclude the action that brought it about, with { withCaused: true }.`,
  );

export const badRedaction = (path: string, instead: string): FloeError =>
  new FloeError(
    'FLOE_BAD_REDACTION',
    `'redact' names '${path}', an index of a list: items move, and what stands there now is elsewhere later. Write '${instead}' for all items.`,
    { path },
  );

export const redactsNothing = (path: string, name: string, known: readonly string[]): FloeError => {
  const other = nearest(name, known) ?? (known.includes('*') ? '*' : undefined);
  return new FloeError(
    'FLOE_BAD_REDACTION',
    `'redact' names '${path}', where nothing can stand, so it protects nothing.${other === undefined ? '' : ` Did you mean '${other}'?`} Correct the name, or take it out.`,
    { path },
  );
};

export const titleThrew = (name: string, cause: unknown): FloeError =>
  new FloeError(
    'FLOE_TITLE_THREW',
    `The title of '${name}' threw: ${messageOf(cause)}. Tools show '${name}' instead. A title reads its payload and the states of stores only.`,
    { cause },
  );

export const stillOpen = (seq: number, open: number): FloeError =>
  new FloeError(
    'FLOE_NOT_EXCLUDABLE',
    `Step ${seq} cannot be excluded now: step ${open} may still be reverted. Try again when it is confirmed or reverted.`,
  );

export const writtenElsewhere = (): FloeError =>
  new FloeError(
    'FLOE_TRACE_IS_WRITTEN',
    'This trace is written to a file as things happen, which cannot go on with another history. Open the other file in a runtime with recording() alone.',
  );
