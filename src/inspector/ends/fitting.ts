// Whether a session fits a running application: the stores that it holds, and the shape of their states.
import { hasPart, isBranch, kindOf, partOf } from '../../core/internal.js';
import { lineOf, patched, readTrace, type States } from '../../trace/internal.js';
import { isStatusStore } from '../history/step-columns.js';
import type { Methods } from '../protocol/protocol.js';

/**
 * What of a session does not fit.
 * @param text a trace file
 * @param states the states of the application
 */
export function fittingOf(text: string, states: States): Methods['fits']['result'] {
  const file = readTrace(text);
  const theirs = patched(file.states, lineOf(file));
  const misfits = Object.keys(theirs)
    .filter((store) => !isStatusStore(store))
    .flatMap((store) => {
      const why = store in states ? misfit(theirs[store], states[store]) : 'this application has no such store';
      return why === undefined ? [] : [{ store, why }];
    });
  return { application: file.header.application ?? null, steps: file.steps.length, misfits };
}

/** Why a state cannot be one of a store, as far as its outline tells; nothing where it can. */
function misfit(theirs: unknown, ours: unknown): string | undefined {
  if (kindOf(theirs) !== kindOf(ours)) return `its state is ${kindName(theirs)} there and ${kindName(ours)} here`;
  if (kindOf(ours) !== 1) return undefined;
  for (const key of Object.keys(ours as object)) {
    if (!hasPart(theirs, key)) return `'${key}' is missing there`;
    const [a, b] = [partOf(theirs, key), partOf(ours, key)];
    const isOther = kindOf(a) !== kindOf(b) || (!isBranch(a) && !isBranch(b) && typeof a !== typeof b);
    if (isOther && isTelling(a) && isTelling(b)) return `'${key}' is ${kindName(a)} there and ${kindName(b)} here`;
  }
  return undefined;
}

/** What stands for nothing may be anything at another time. */
const isTelling = (value: unknown): boolean => value !== null && value !== undefined;

function kindName(value: unknown): string {
  const kind = ['', 'an object', 'a list', 'a table'][kindOf(value)];
  if (kind !== '') return kind;
  return typeof value === 'string' ? 'a text' : value === null ? 'null' : `a ${typeof value}`;
}
