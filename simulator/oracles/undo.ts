// The user's undo and redo: how many entries there are, and that a conflict has a reason.
import type { Step } from 'floe/trace';
import { patched, same, type Plain } from '../model/plain.js';
import { Fault } from '../planned.js';
import type { Session } from '../session.js';

/** The steps of one entry. */
type Entry = number[];

/** A stack of the model, kept from the steps that were recorded. */
export class UndoModel {
  private done: Entry[] = [];
  private taken: Entry[] = [];
  private seen = -1;

  /** Reads what was recorded since. */
  follow({ trace }: Session): void {
    for (const step of trace!.steps) {
      if (step.seq <= this.seen) continue;
      this.seen = step.seq;
      if (isUsers(step)) this.push(step, trace!.steps);
      else if (step.fact === 'undone' || step.fact === 'redone') this.moved(step.fact, trace!.steps);
    }
  }

  private push({ seq, group }: Step, steps: readonly Step[]): void {
    this.taken = [];
    const last = this.done.at(-1);
    if (group !== undefined && last && steps.find((one) => one.seq === last.at(-1))?.group === group) last.push(seq);
    else this.done.push([seq]);
  }

  private moved(fact: 'undone' | 'redone', steps: readonly Step[]): void {
    const [from, to] = fact === 'undone' ? [this.done, this.taken] : [this.taken, this.done];
    for (let i = from.length - 1; i >= 0; i--)
      if (counts(from[i], steps)) return void to.push(...from.splice(i, 1));
  }

  clear(): void {
    this.done = [];
    this.taken = [];
  }

  check({ trace, undo }: Session): void {
    const shown = trace!.steps.filter(({ seq }) => seq <= trace!.cursor);
    const [undos, redos] = [this.done, this.taken].map((entries) => entries.filter((one) => counts(one, shown)).length);
    if (undo!.undos !== undos || undo!.redos !== redos)
      throw new Fault('undo', `${undo!.undos} and ${undo!.redos} entries instead of ${undos} and ${redos}`);
  }

  /** The steps of the entry that comes next. */
  next(what: 'undo' | 'redo', steps: readonly Step[]): readonly Step[] {
    const entries = what === 'undo' ? this.done : this.taken;
    const entry = [...entries].reverse().find((one) => counts(one, steps)) ?? [];
    return steps.filter(({ seq, excluded }) => entry.includes(seq) && !excluded);
  }
}

const isUsers = ({ kind, cause, outcome, stores, changes }: Step): boolean =>
  kind === 'action' && outcome === 'applied' && changes.length > 0 && stores.length > 0 && cause.run === undefined && (cause.by === 'code' || cause.by === 'interceptor');

const counts = (entry: Entry, shown: readonly Step[]): boolean =>
  shown.some(({ seq, excluded }) => entry.includes(seq) && !excluded);

/** What an undo must come to, where nothing was done since. */
export function checkUndone(session: Session, entry: readonly Step[], result: Plain, before: Plain): void {
  const { trace, line, blueprint } = session;
  if (entry.length === 0 || blueprint.redacts || blueprint.ignores) return;
  const last = entry[entry.length - 1];
  // Facts that say nothing of the stores, and steps that changed nothing, are no change since.
  const since = trace!.steps.filter(
    ({ seq, changes, stores, excluded, fact }) => seq > last.seq && !excluded && fact !== 'undone' && changes.length > 0 && stores.some((name) => !name.includes('.')),
  );
  if (since.length > 0) return;
  if (result.became === 'conflict') throw new Fault('undo', `conflict at ${String(result.pointer)}, though nothing was done since step ${last.seq}`);
  if (result.became !== 'done' || !trace!.isLive) return;
  let expected = before;
  for (const step of [...entry].reverse()) expected = patched(expected, step.undo);
  const after = line!.states.get(trace!.cursor);
  if (after && !same(after, expected)) throw new Fault('undo', `it does not lead back to before step ${entry[0].seq}`);
}
