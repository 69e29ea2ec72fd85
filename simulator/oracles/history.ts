// The history of a value, against the states after each step.
import type { Step } from 'floe/trace';
import { text, valueAt, type Plain } from '../model/plain.js';
import { Fault } from '../planned.js';
import type { Session } from '../session.js';
import { checkFile } from './files.js';
import { NOTHING } from '../acts/act.js';

interface Change {
  readonly seq: number;
  readonly before: Plain;
  readonly after: Plain;
}

const say = (changes: readonly Change[]): string =>
  changes.map(({ seq, before, after }) => `${seq}: ${text(before)} -> ${text(after)}`).join('; ');

const placesOf = ({ app }: Session): readonly string[] =>
  app.stores.flatMap(({ name, kind }) =>
    kind === 'tide'
      ? [`/${name}/n`, `/${name}/last`]
      : kind === 'board'
        ? [`/${name}/picked`, `/${name}/at`, `/${name}/list/0`, `/${name}/list/1`]
        : [`/${name}/vessel/h0/name`, `/${name}/visit`],
  );

/** What is recorded as a file, and the history of each place. */
export function checkTold(session: Session): void {
  session.isLooking = true;
  try {
    checkFile(session);
    for (const which of placesOf(session).keys()) checkHistory(session, which);
  } finally {
    session.isLooking = false;
  }
}

export function checkHistory(session: Session, which: number): string {
  const { trace, line } = session;
  const places = placesOf(session);
  const pointer = places[which % places.length];
  const steps = trace!.steps.filter(({ seq }) => seq <= trace!.cursor && line!.states.has(seq));
  if (steps.length === 0 || steps.length < trace!.steps.filter(({ seq }) => seq <= trace!.cursor).length)
    return NOTHING;
  if (session.blueprint.limit < 10_000) return NOTHING;
  // A sum does not say which items it moved.
  if (pointer.includes('/list/') && !line!.isWhole) return NOTHING;
  const reported = trace!
    .history(pointer)
    .map(({ step, before, after }): Change => ({ seq: step.seq, before, after }))
    // Nothing there, and undefined there, are one to the model.
    .filter(({ before, after }) => before !== undefined || after !== undefined);
  if (!pointer.includes('/list/')) {
    const expected = changesOf(steps, (seq) => valueAt(line!.states.get(seq), pointer));
    if (say(reported) !== say(expected))
      throw new Fault('history', `${pointer} is told as ${say(reported)} instead of ${say(expected)}`);
    return pointer;
  }
  return checkItem(session, pointer, steps, reported);
}

function changesOf(steps: readonly Step[], valueAfter: (seq: number) => Plain): Change[] {
  const changes: Change[] = [];
  let before: Plain;
  for (const { seq } of steps) {
    const after = valueAfter(seq);
    if (text(after) !== text(before)) changes.push({ seq, before, after });
    before = after;
  }
  return changes;
}

/** An item is followed by its id, as far back as it was there without a break. */
function checkItem(session: Session, pointer: string, steps: readonly Step[], reported: readonly Change[]): string {
  const [, name, , index] = pointer.split('/');
  const { line } = session;
  const listAfter = (seq: number): Plain[] => line!.states.get(seq)?.[name]?.list ?? [];
  const item = listAfter(steps[steps.length - 1].seq)[Number(index)];
  if (item === undefined) return NOTHING;
  const found = (seq: number): Plain => listAfter(seq).find(({ id }: Plain) => id === item.id);
  let first = steps.length - 1;
  while (first > 0 && found(steps[first - 1].seq) !== undefined) first--;
  // What a fact put in the place of another item, it does not say.
  if (steps[first].kind === 'fact') return NOTHING;
  // What is computed again without a pending action are other objects: which item became which, nothing says.
  if (steps.slice(first).some(({ about, changes }) => about !== undefined && changes.length > 0)) return NOTHING;
  // One id twice: which of the two it was, nothing says.
  for (const { seq } of steps.slice(first))
    if (listAfter(seq).filter(({ id }: Plain) => id === item.id).length > 1) return NOTHING;
  // Where it was put in again by an undo or another statement, nothing says either.
  const expected = changesOf(steps.slice(first), found);
  const own = reported.filter(({ seq }) => seq >= steps[first].seq);
  if (say(own) !== say(expected))
    throw new Fault('history', `${pointer} is told as ${say(own)} instead of ${say(expected)}`);
  return pointer;
}
