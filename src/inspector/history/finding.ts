// Finding steps: by any text or value, store, outcome or cause. It looks at a step at a time, from the newest back.
import { encode, escapeKey } from '../../core/internal.js';
import type { Step } from '../../trace/index.js';
import type { TraceSource } from '../../trace/internal.js';
import type { FindQuery } from '../protocol/protocol.js';
import { partsOf } from './values.js';
import { isProblem } from './step-columns.js';
import { causeSentence, labelOf, nameOf } from './words.js';

/** Whether a query asks for anything. */
export const asks = ({ text, store, outcome, cause }: FindQuery): boolean =>
  [text, store, outcome, cause].some((one) => one !== undefined && one !== '');

const wordsOf = ({ text = '' }: FindQuery): readonly string[] => text.toLowerCase().split(/\s+/).filter(Boolean);

/** Whether a step is one that a query asks for. */
export function finder(query: FindQuery, source: TraceSource): (step: Step) => boolean {
  const { store, outcome, cause } = query;
  const words = wordsOf(query);
  const wantedCause = cause?.toLowerCase() ?? '';
  // A part of JSON text, as it may have been copied.
  const isQuoted = words.some((word) => /["\\]/.test(word));
  return (step) => {
    if (store && !step.stores.includes(store)) return false;
    if (outcome && !(outcome === 'problem' ? isProblem(step) : step.outcome === outcome)) return false;
    if (wantedCause && !causeText(step).includes(wantedCause)) return false;
    if (words.length === 0) return true;
    const text = textOf(step, source, isQuoted);
    return words.every((word) => text.includes(word));
  };
}

/** The innermost place that a step changed and that holds what is looked for. */
export function placeOfHit(query: FindQuery, { changes }: Step): string | undefined {
  const words = wordsOf(query);
  if (words.length === 0) return undefined;
  const has = (text: string): boolean => words.some((word) => text.toLowerCase().includes(word));
  for (const operation of changes) {
    if ('value' in operation) {
      const inside = placeIn(operation.value, has, operation.path, 0);
      if (inside !== undefined) return inside;
    }
    if (has(operation.path)) return operation.path;
  }
  return undefined;
}

/** So deep, and at so many parts of a value, is looked. */
const MOST_LEVELS = 8;
const MOST_PARTS = 1000;

function placeIn(value: unknown, has: (text: string) => boolean, pointer: string, level: number): string | undefined {
  if (typeof value !== 'object' || value === null) return has(String(value)) ? pointer : undefined;
  if (level > MOST_LEVELS) return undefined;
  for (const [key, part] of partsOf(value, 0, MOST_PARTS)) {
    const found = placeIn(part, has, `${pointer}/${escapeKey(key)}`, level + 1);
    if (found !== undefined) return found;
  }
  return undefined;
}

const causeText = (step: Step): string =>
  `${step.cause.by} ${causeSentence(step)}${step.cause.run === undefined ? '' : ` run ${step.cause.run}`}`.toLowerCase();

/** All that can be found of a step, in small letters. Long histories are looked through: one text is put together, and no list. */
function textOf(step: Step, source: TraceSource, isJson: boolean): string {
  const { seq, action, run, changes, undo, reason, note, stores, problems, outcome } = step;
  const label = labelOf(step, source);
  const name = nameOf(step);
  let text = `${seq}\n${name}\n${outcome}`;
  if (label !== name) text += `\n${label}`;
  for (const store of stores) text += `\n${store}`;
  if (reason !== undefined) text += `\n${reason}`;
  if (note !== undefined) text += `\n${note}`;
  if (problems) for (const problem of problems) text += `\n${problem}`;
  if (action && 'payload' in action) text += `\n${valueText(action.payload, isJson)}`;
  if (run) text += `\n${valueText(run.args, isJson)}`;
  for (const operation of changes) {
    text += `\n${operation.path}`;
    if ('value' in operation) text += `\n${valueText(operation.value, isJson)}`;
  }
  for (const [i, operation] of undo.entries()) {
    // Mostly the same places, in the other order.
    if (operation.path !== changes[undo.length - 1 - i]?.path) text += `\n${operation.path}`;
    if ('value' in operation) text += `\n${valueText(operation.value, isJson)}`;
  }
  return text.toLowerCase();
}

/** @param isJson a text stands in quotes, too */
function valueText(value: unknown, isJson: boolean): string {
  if (typeof value === 'number' || (typeof value === 'string' && !isJson)) return String(value);
  return JSON.stringify(isSimple(value) ? value : encode(value)) ?? '';
}

/** Whether JSON holds it as it is: an object of texts, whole numbers and the like, as most payloads are. */
function isSimple(value: unknown): boolean {
  if (typeof value !== 'object' || value === null || Object.getPrototypeOf(value) !== Object.prototype) return false;
  for (const key in value) {
    const part = (value as Record<string, unknown>)[key];
    if (typeof part !== 'string' && !Number.isInteger(part) && typeof part !== 'boolean' && part !== null) return false;
  }
  return true;
}
