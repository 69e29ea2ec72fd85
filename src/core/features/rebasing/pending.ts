// Optimistic actions: shown before it is certain that they stay. While one is open, what was applied since is kept, so that
// the states can be computed without it. Nothing is kept while none is open.
import type { AnyAction } from '../../model/action.js';
import { sameData } from '../../data/plain.js';
import type { Touches } from '../../data/touches.js';
import type { Cell } from '../../kernel/cell.js';
import { firstAnswer, type Extensible } from '../../kernel/feature.js';
import { computed, givenTo } from '../../kernel/states.js';
import type { Transition } from '../../kernel/transition.js';
import { footprintOf, withoutWrites, type Footprint } from './footprint.js';
import { Footprints } from './footprints.js';

/** One action, or one fact, that was applied while an optimistic action was open, or a state was still to be read. */
export interface PendingAction {
  /** Not there for a fact. */
  action: AnyAction | undefined;
  /** The states that its handlers were given. */
  before: ReadonlyMap<Cell, unknown>;
  /** The states that it left, of the stores that it changed. */
  after: ReadonlyMap<Cell, unknown>;
  readonly group: number | undefined;
  readonly transition: Transition | undefined;
  /** The first state of a store: it has joined, even if the transaction around it is rolled back. */
  joins?: boolean | undefined;
  /** Of a fact: what is made of the state before it. Without it the state stays as it was stated. */
  redo?: ((state: unknown) => unknown) | undefined;
  /** Neither confirmed nor reverted. */
  open: boolean;
  /** Reverted, or dropped: it does not count. */
  gone: boolean;
  /** Where what it did is part of the certain state that came from elsewhere. */
  within?: ReadonlySet<Cell>;
  /** Of a state that is still being read: what it was before another line brought it to `after`. */
  began?: ReadonlyMap<Cell, unknown>;
  /** Counts up with the entries. */
  order: number;
  /** What it read and wrote, once that was asked for. */
  print?: Footprint | undefined;
}

/** What could not be applied when the states were computed without something. */
interface Dropped {
  readonly entry: PendingAction;
  readonly error: unknown;
}

/** The states that an entry was given, and those that it left. */
type StatesAround = Pick<PendingAction, 'before' | 'after'>;

/** What everything comes to. Nothing of it is written into the entries before it is accepted. */
export interface Computed {
  readonly states: ReadonlyMap<Cell, unknown>;
  /** Which places differ from the present states, where that is known. */
  readonly touches?: Touches | undefined;
  readonly around: ReadonlyMap<PendingAction, StatesAround>;
  readonly dropped: readonly Dropped[];
}

export class PendingLog {
  private entries: PendingAction[] = [];
  private orders = 0;
  /** Where the entries read and wrote, up to the one with this order. */
  private prints = new Footprints<PendingAction>();
  private printed = 0;
  /** The last entry that was there when one was reverted alone: what these left are other states since. */
  private stale = 0;

  /** @param base the states of all stores before the first entry */
  constructor(
    private readonly base: Map<Cell, unknown>,
    private readonly kernel: Extensible,
  ) {}

  get count(): number {
    return this.entries.length;
  }

  add(entry: Omit<PendingAction, 'order'>): PendingAction {
    const added = { ...entry, order: ++this.orders };
    this.entries.push(added);
    return added;
  }

  /** Drops the entries before the first pending one. Returns whether an optimistic action is pending. */
  trim(): boolean {
    const { entries } = this;
    let first = 0;
    while (first < entries.length && !entries[first].open) first++;
    // A transaction is kept or dropped as a whole; what is done in one that is under way may be rolled back.
    const group = entries[first]?.group;
    while (group !== undefined && first > 0 && entries[first - 1].group === group) first--;
    const now = this.kernel.transaction?.number;
    const own = now === undefined ? -1 : entries.findIndex((entry) => entry.group === now);
    if (own >= 0 && first < entries.length) first = Math.min(first, own);
    for (const entry of entries.slice(0, first))
      if (!entry.gone) for (const [cell, state] of this.afterOf(entry)) this.base.set(cell, state);
    if (first > 0) entries.splice(0, first);
    return entries.length > 0;
  }

  /** The states that the first entry left. */
  private afterOf({ after, action, within, order }: PendingAction): ReadonlyMap<Cell, unknown> {
    return action && order <= this.stale ? computedOn(this.kernel, action, this.base, within) : after;
  }

  get oldest(): Transition | undefined {
    // What is still being read has none.
    return this.entries.find(({ open, transition }) => open && transition)?.transition;
  }

  /** The states as they are without what is open. */
  certain(): ReadonlyMap<Cell, unknown> {
    return this.run((entry) => !entry.open).states;
  }

  /**
   * Rebases all entries: without one of them, or with another action in its place.
   * @throws what the other action throws; then nothing changed
   */
  again(entry: PendingAction, replacement?: AnyAction): Computed {
    const { action } = entry;
    if (replacement) entry.action = replacement;
    else {
      const alone = this.without(entry);
      entry.gone = true;
      if (alone) {
        entry.open = false;
        return { ...alone, around: new Map(), dropped: [] };
      }
    }
    const outcome = this.run(() => true);
    const own = outcome.dropped.find((one) => one.entry === entry);
    if (own) {
      entry.action = action;
      throw own.error;
    }
    entry.open = false;
    return this.accept(outcome);
  }

  /**
   * The states without one entry, where no later one read what it wrote, or wrote there as well: then nothing has to be
   * computed again. Nothing where that cannot be told.
   */
  private without(entry: PendingAction): Pick<Computed, 'states' | 'touches'> | undefined {
    const { entries, kernel, prints } = this;
    if (entry.group !== undefined || entry.within) return undefined;
    let fresh = entries.length;
    for (; fresh > 0 && entries[fresh - 1].order > this.printed; fresh--) {
      const { action, group, within } = entries[fresh - 1];
      if (!action || group !== undefined || within) return undefined;
    }
    for (; fresh < entries.length; fresh++) {
      const one = entries[fresh];
      if (one.gone) continue;
      one.print = footprintOf(kernel, one.action!, one.before);
      prints.add(one, one.print);
      // It is not asked for again; many of these hold much.
      one.before = NONE;
    }
    this.printed = this.orders;
    if (!entry.print || entry.print.isOpaque || prints.meets(entry, entry.print)) return undefined;
    this.stale = this.orders;
    return withoutWrites(entry.print, (cell) => kernel.views.live.states[cell.index]);
  }

  /** Rebases all entries onto the state that a held entry waited for. */
  filled(entry: PendingAction, after: ReadonlyMap<Cell, unknown>): Computed {
    const { began } = entry;
    const line = entry.after;
    entry.after = began
      ? new Map(Array.from(after, ([cell, state]) => [cell, this.onTopOf(state, began.get(cell), line.get(cell))]))
      : after;
    entry.open = false;
    return this.accept(this.run(() => true));
  }

  /** Rebases pending entries onto confirmed states that came from elsewhere; all other entries are part of these. */
  restated(states: ReadonlyMap<Cell, unknown>): Computed {
    for (const [cell, state] of states) this.base.set(cell, state);
    for (const entry of this.entries)
      if (!entry.open) entry.within = new Set([...(entry.within ?? []), ...states.keys()]);
    return this.accept(this.run(() => true));
  }

  private accept(outcome: Computed): Computed {
    for (const [one, states] of outcome.around) Object.assign(one, states);
    // Each was given other states now.
    this.prints = new Footprints();
    this.printed = this.stale = 0;
    for (const one of outcome.dropped) this.close(one.entry);
    return outcome;
  }

  /** Drops entries of a transaction that was rolled back; their optimistic actions are no longer pending. */
  drop(goes: (entry: PendingAction, index: number) => boolean): void {
    const [kept, lost]: [PendingAction[], PendingAction[]] = [[], []];
    this.entries.forEach((entry, index) => (goes(entry, index) ? lost : kept).push(entry));
    this.entries = kept;
    for (const entry of lost) this.close(entry);
  }

  /**
   * Drops all entries that are not part of another line. States that are still being read are part of every line: their entries
   * take the shown states where others before them were dropped; so do stores that joined on the line that was left.
   */
  keep(stays: (entry: PendingAction) => boolean, shown: ReadonlyMap<Cell, unknown>): void {
    const moved: PendingAction[] = [];
    this.drop((entry) => {
      if (stays(entry)) return false;
      if (entry.action || !entry.open) return true;
      moved.push(entry);
      return false;
    });
    for (const entry of moved) {
      entry.began ??= entry.after;
      entry.after = new Map(Array.from(entry.after, ([cell]) => [cell, shown.get(cell)]));
    }
    const joinsLater = (cell: Cell): boolean =>
      this.entries.some(({ joins, after }) => joins === true && after.has(cell));
    for (const [cell, state] of shown)
      if (this.entries.length === moved.length || (!this.base.has(cell) && !joinsLater(cell)))
        this.base.set(cell, state);
  }

  /** Whether the entries lead to these states. */
  leadsTo(stateOf: (cell: Cell) => unknown): boolean {
    return Array.from(this.run(() => true).states).every(([cell, state]) => sameData(state, stateOf(cell)));
  }

  /** A state that was read, with what the shown line did meanwhile to the state before it. */
  private onTopOf(read: unknown, before: unknown, after: unknown): unknown {
    return firstAnswer(this.kernel, (hooks) => hooks.onTopOf?.(read, before, after)) ?? read;
  }

  private close(entry: PendingAction): void {
    entry.open = false;
    entry.gone = true;
  }

  private run(counts: (entry: PendingAction) => boolean): Computed {
    const { entries } = this;
    const around = new Map<PendingAction, StatesAround>();
    const dropped: Dropped[] = [];
    let states = new Map(this.base);
    for (let i = 0, end: number; i < entries.length; i = end) {
      const { group } = entries[i];
      for (end = i + 1; group !== undefined && entries[end]?.group === group; end++);
      const together = entries.slice(i, end).filter((entry) => !entry.gone && counts(entry));
      // A transaction is kept or dropped as a whole; facts are kept in either case.
      const trial = new Map(states);
      try {
        for (const entry of together) this.step(entry, trial, around);
        states = trial;
      } catch (error) {
        for (const entry of together) {
          if (entry.action) dropped.push({ entry, error });
          else this.step(entry, states, around);
        }
      }
    }
    return { states, around, dropped };
  }

  private step(entry: PendingAction, states: Map<Cell, unknown>, around: Map<PendingAction, StatesAround>): void {
    const { action, within } = entry;
    const before = action ? givenTo(this.kernel, action, (cell) => states.get(cell)) : entry.before;
    let after = action ? computedOn(this.kernel, action, states, within) : entry.after;
    const { redo } = entry;
    if (redo) after = new Map(Array.from(after, ([cell]) => [cell, redo(states.get(cell))]));
    if (!action && within) after = new Map(Array.from(after).filter(([cell]) => !within.has(cell)));
    for (const [cell, state] of after) states.set(cell, state);
    around.set(entry, { before, after });
  }
}

const NONE: ReadonlyMap<Cell, unknown> = new Map();

/** What an action makes of states, of the stores that had joined, but of those within a state from elsewhere. */
const computedOn = (
  kernel: Extensible,
  action: AnyAction,
  states: ReadonlyMap<Cell, unknown>,
  within: ReadonlySet<Cell> | undefined,
): ReadonlyMap<Cell, unknown> =>
  computed(
    kernel,
    action,
    (cell) => states.get(cell),
    (cell) => !states.has(cell) || within?.has(cell) === true,
  );
