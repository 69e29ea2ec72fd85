// What the lines of a trace file have to hold.
import { MOST_NESTED, OUTCOMES } from '../core/internal.js';
import { notATrace, traceTooNew } from './errors.js';
import type { StoryStep } from './story.js';
import { TRACE_VERSION, type InteractionLine, type Step, type TraceHeader } from './step.js';

/** Refuses a line where something does not hold. */
type Check = (holds: boolean, why: string) => void;
type FoundMembers = Partial<Record<keyof Step | 'again', unknown>>;

/** The members of a step, but its place. */
export function checkMembers(found: FoundMembers, check: Check): void {
  check(Number.isFinite(found.time) && Number.isFinite(found.took), "'time' and 'took' must be numbers");
  check(found.kind === 'action' || found.kind === 'fact', "'kind' is neither 'action' nor 'fact'");
  check(OUTCOMES.includes(found.outcome as never), "'outcome' is not an outcome");
  check(isCause(found.cause), "'cause' is not a cause");
  check(isTexts(found.stores), "'stores' is not a list of names");
  const { action, run } = found;
  if (run !== undefined) check(isRun(run), "'run' is not a run of a task");
  if (found.kind === 'action' || action !== undefined)
    check(isObject(action) && typeof (action as { type?: unknown }).type === 'string', "'action' is not an action");
  checkMore(found, check);
  checkPatch(found.changes, "'changes'", check);
  checkPatch(found.undo, "'undo'", check);
  if (found.given !== undefined) checkPatch(found.given, "'given'", check);
}

/** The members that few steps have. */
function checkMore(found: FoundMembers, check: Check): void {
  for (const name in found) {
    const value = found[name as keyof Step];
    if (TEXTS.has(name)) check(typeof value === 'string', `'${name}' is not a text`);
    else if (COUNTS.has(name)) check(isCount(value), `'${name}' is not a whole number`);
    else if (name === 'alsoAbout') check(isCounts(value), `'${name}' is not a list of whole numbers`);
    else if (MARKS.has(name)) check(value === true, `'${name}' is not true`);
    else if (name === 'problems') check(isTexts(value), "'problems' is not a list of texts");
    else if (name === 'moves' || name === 'givenMoves')
      check(Array.isArray(value) && value.every(isMoves), `'${name}' does not tell where items went`);
  }
}

function checkPatch(value: unknown, name: string, check: Check): void {
  check(Array.isArray(value), `${name} is not a JSON Patch`);
  check((value as readonly unknown[]).every(isOperation), `${name} holds something that is not an operation`);
}

export function checkInteraction(found: Partial<Record<keyof InteractionLine, unknown>>, check: Check): void {
  const { interaction: id, time, kind, name, role, key, typing, from, steps, changedPage } = found;
  check(isCount(id) && isCount(from) && isCount(steps), "'interaction', 'from' or 'steps' is not a whole number");
  check(Number.isFinite(time), "'time' must be a number");
  check(INTERACTIONS.has(kind as string), "'kind' is no kind of interaction");
  check(isText(name), "'name' is not a text");
  check(
    isOptional(changedPage, (value) => value === true),
    "'changedPage' is not true",
  );
  check(isOptional(typing, isCount), "'typing' is not a whole number");
  check(isOptional(role, isText) && isOptional(key, isText), "'role' or 'key' is not a text");
}

/** Steps that `write-test` can tell apart. */
const isStory = (story: unknown): boolean =>
  Array.isArray(story) &&
  story.every(
    (step: unknown) =>
      isObject(step) && isText((step as Partial<StoryStep>).does) && isText((step as Partial<StoryStep>).says),
  );

/** @throws FLOE_NOT_A_TRACE, FLOE_TRACE_TOO_NEW */
export function toHeader(value: unknown, line: number): TraceHeader {
  const header = value as Partial<TraceHeader> | null;
  if (!isObject(header) || header.floe !== 'trace') throw notATrace(line, 'its first line is not the header');
  if (!Number.isSafeInteger(header.version) || header.version! < 1) throw notATrace(line, 'its header has no version');
  if (header.version! > TRACE_VERSION) throw traceTooNew(header.version, TRACE_VERSION);
  const { redacted, application, story, fails } = header;
  if (
    application !== undefined &&
    !(isObject(application) && isText(application.name) && isOptional(application.version, isText))
  )
    throw notATrace(line, "its header's 'application' has no name, or a version that is no text");
  if (redacted !== undefined && !isTexts(redacted))
    throw notATrace(line, "its header's 'redacted' is not a list of pointers");
  if (story !== undefined && !(isObject(story) && isText(story.what) && isText(story.kind) && isStory(story.story)))
    throw notATrace(line, "its header's 'story' is not a story");
  if (fails !== undefined && !(isObject(fails) && isText(fails.kind) && isOptional(fails.what, isText)))
    throw notATrace(line, "its header's 'fails' does not say how");
  return header as TraceHeader;
}

/** Whether the values of a line are nested more deeply than state may be. */
export function isTooDeep(text: string): boolean {
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

export const isObject = (value: unknown): value is object =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

export const isCount = (count: unknown): boolean => Number.isSafeInteger(count) && (count as number) >= 0;

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

export const isOptional = (value: unknown, is: (value: unknown) => boolean): boolean =>
  value === undefined || is(value);

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
