// Finding steps: by any text or value, store, outcome or cause. It looks at a step at a time, from the newest back.
import { encode } from '../../core/internal.js';
import type { Step } from '../../trace/index.js';
import type { TraceSource } from '../../trace/internal.js';
import type { FindQuery } from '../protocol/protocol.js';
import { isProblem } from './step-columns.js';
import { causeSentence, labelOf, nameOf } from './words.js';

/** Whether a query asks for anything. */
export const asks = ({ text, store, outcome, cause }: FindQuery): boolean =>
  [text, store, outcome, cause].some((one) => one !== undefined && one !== '');

/** Whether a step is one that a query asks for. */
export function finder(query: FindQuery, source: TraceSource): (step: Step) => boolean {
  const { store, outcome, cause } = query;
  const words = (query.text ?? '').toLowerCase().split(/\s+/).filter(Boolean);
  const wantedCause = cause?.toLowerCase() ?? '';
  return (step) => {
    if (store && !step.stores.includes(store)) return false;
    if (outcome && !(outcome === 'problem' ? isProblem(step) : step.outcome === outcome)) return false;
    if (wantedCause && !causeText(step).includes(wantedCause)) return false;
    if (words.length === 0) return true;
    const text = textOf(step, source);
    return words.every((word) => text.includes(word));
  };
}

const causeText = (step: Step): string =>
  `${step.cause.by} ${causeSentence(step)}${step.cause.run === undefined ? '' : ` run ${step.cause.run}`}`.toLowerCase();

/** All that can be found of a step, in small letters. */
function textOf(step: Step, source: TraceSource): string {
  const { seq, action, run, changes, undo, reason, note, stores, problems, outcome } = step;
  const parts = [String(seq), nameOf(step), labelOf(step, source), outcome, reason ?? '', note ?? '', ...stores];
  if (problems) parts.push(...problems);
  if (action && 'payload' in action) parts.push(JSON.stringify(encode(action.payload)) ?? '');
  if (run) parts.push(JSON.stringify(encode(run.args)) ?? '');
  for (const operation of [...changes, ...undo]) {
    parts.push(operation.path);
    if ('value' in operation) parts.push(JSON.stringify(encode(operation.value)) ?? '');
  }
  return parts.join('\n').toLowerCase();
}
