// The user's undo and redo: how many entries there are, and that a conflict has a reason.
import type { Step } from 'floe/trace';
import { patched, same, type Plain } from '../model/plain.js';
import { Fault } from '../planned.js';
import type { Session } from '../session.js';

/** What the user did as one, and its undos and redos. */
interface Entry {
  readonly steps: number[];
  readonly moves: { readonly seq: number; readonly isUndo: boolean }[];
}

/** A stack of the model, kept from the steps that were recorded. */
export class UndoModel {
  private entries: Entry[] = [];
  private seen = -1;

  /** Reads what was recorded since. */
  follow({ trace }: Session): void {
    const { steps } = trace!;
    const fresh = [...steps.entries()].filter(([, { seq }]) => seq > this.seen);
    this.seen = Math.max(this.seen, ...steps.map(({ seq }) => seq));
    // What a transaction did is an entry when it has committed: an undo inside of it goes before.
    const isLate = ([, step]: [number, Step]): boolean => step.group !== undefined && isUsers(step);
    const groupOf = ([i, { group }]: [number, Step]): number =>
      group === undefined ? i : steps.findIndex((one) => one.group === group);
    fresh.sort((a, b) => groupOf(a) - groupOf(b) || Number(isLate(a)) - Number(isLate(b)) || a[0] - b[0]);
    for (const [i, step] of fresh) {
      if (isUsers(step))
        this.push(
          step,
          steps.slice(0, step.group === undefined ? i : steps.findLastIndex(({ group }) => group === step.group) + 1),
        );
      else if (step.fact === 'undone' || step.fact === 'redone') {
        const isUndo = step.fact === 'undone';
        const before = steps.slice(0, i);
        const all = this.all(!isUndo, before);
        // What was undone last is done again first.
        const lastOf = ({ moves }: Entry): number => moves.filter(({ seq }) => countingOf(before).has(seq)).at(-1)!.seq;
        const moved = isUndo ? all.at(-1) : all.sort((a, b) => lastOf(b) - lastOf(a)).at(0);
        moved?.moves.push({ seq: step.seq, isUndo });
      }
    }
  }

  private push({ seq, group }: Step, before: readonly Step[]): void {
    // Also what is left out at present.
    this.entries = this.entries.filter((entry) => !this.isUndone(entry, countingOf(before)));
    const last = this.entries.at(-1);
    if (group !== undefined && last && before.find((one) => one.seq === last.steps.at(-1))?.group === group)
      last.steps.push(seq);
    else this.entries.push({ steps: [seq], moves: [] });
  }

  /** Those of which something is shown, and that are undone, or are not, at the end of these steps. */
  private all(areUndone: boolean, shown: readonly Step[]): Entry[] {
    const counting = countingOf(shown);
    return this.entries.filter(
      (entry) => entry.steps.some((seq) => counting.has(seq)) && this.isUndone(entry, counting) === areUndone,
    );
  }

  private isUndone({ moves }: Entry, counting: ReadonlySet<number>): boolean {
    return moves.filter(({ seq }) => counting.has(seq)).at(-1)?.isUndo === true;
  }

  clear(): void {
    this.entries = [];
  }

  check({ trace, undo }: Session): void {
    const shown = trace!.steps.filter(({ seq }) => seq <= trace!.cursor);
    const [undos, redos] = [this.all(false, shown).length, this.all(true, shown).length];
    if (undo!.undos !== undos || undo!.redos !== redos)
      throw new Fault('undo', `${undo!.undos} and ${undo!.redos} entries instead of ${undos} and ${redos}`);
  }

  /** The steps of the entry that is undone next, where it was never undone before. */
  next(shown: readonly Step[]): readonly Step[] {
    const entry = this.all(false, shown).at(-1);
    if (!entry || entry.moves.length > 0) return [];
    return shown.filter(({ seq, excluded }) => entry.steps.includes(seq) && !excluded);
  }
}

const countingOf = (shown: readonly Step[]): ReadonlySet<number> =>
  new Set(shown.filter(({ excluded }) => !excluded).map(({ seq }) => seq));

const isUsers = ({ kind, cause, outcome, stores, changes }: Step): boolean =>
  kind === 'action' &&
  outcome === 'applied' &&
  changes.length > 0 &&
  // The address is not the user's to undo, and the stack does not know the copies.
  stores.some((name) => name !== 'address' && !name.startsWith('copy')) &&
  cause.run === undefined &&
  (cause.by === 'code' || cause.by === 'interceptor');

/** What an undo must come to, where nothing was done since. */
export function checkUndone(session: Session, entry: readonly Step[], result: Plain, before: Plain): void {
  const { trace, line, blueprint } = session;
  if (entry.length === 0 || blueprint.redacts || blueprint.ignores) return;
  const last = entry[entry.length - 1];
  // Among the actions of one transaction an undo of another entry changed what they did.
  const isMove = ({ group, fact }: Step): boolean =>
    group !== undefined && group === last.group && (fact === 'undone' || fact === 'redone');
  if (trace!.steps.some(isMove)) return;
  // Facts that say nothing of the stores, and steps that changed nothing, are no change since.
  const since = trace!.steps.filter(
    ({ seq, changes, stores, excluded, fact }) =>
      seq > entry[0].seq &&
      !entry.some((own) => own.seq === seq) &&
      !excluded &&
      (fact !== 'undone' || line?.isRevised === true) &&
      changes.length > 0 &&
      stores.some((name) => !name.includes('.')),
  );
  if (since.length > 0) return;
  if (result.became === 'conflict')
    throw new Fault('undo', `conflict at ${String(result.pointer)}, though nothing was done since step ${last.seq}`);
  if (result.became !== 'done' || !trace!.isLive) return;
  let expected = before;
  const own = session.app.stores.map(({ name }) => `/${name}/`);
  for (const step of [...entry].reverse())
    expected = patched(
      expected,
      step.undo.filter(({ path }) => own.some((start) => `${path}/`.startsWith(start))),
    );
  const after = line!.states.get(trace!.cursor);
  if (after && !same(after, expected)) throw new Fault('undo', `it does not lead back to before step ${entry[0].seq}`);
}
