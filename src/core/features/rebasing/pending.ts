// Optimistic actions: shown before it is certain that they stay. While one is open, what was applied since is kept, so that
// the states can be computed without it. Nothing is kept while none is open.
import type { AnyAction } from '../../model/action.js';
import { sameData } from '../../data/plain.js';
import type { Cell } from '../../kernel/cell.js';
import type { Extensible } from '../../kernel/feature.js';
import { eachGroup, startOfGroup } from '../../kernel/groups.js';
import { computed } from '../../kernel/states.js';
import type { Transition } from '../../kernel/transition.js';

/** One action, or one fact, that was applied while an optimistic action was open, or a state was still to be read. */
export interface PendingAction {
  /** Not there for a fact. */
  action: AnyAction | undefined;
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
}

/** What could not be applied when the states were computed without something. */
interface Dropped {
  readonly entry: PendingAction;
  readonly error: unknown;
}

/** What everything comes to. Nothing of it is written into the entries before it is accepted. */
export interface Recomputed {
  readonly states: Map<Cell, unknown>;
  /** The states that entries leave now, of the stores that they change. */
  readonly after: (readonly [PendingAction, ReadonlyMap<Cell, unknown>])[];
  readonly dropped: Dropped[];
}

export class PendingLog {
  /** Tools look at them, and at the states before the first one. */
  entries: PendingAction[] = [];

  /** @param base the states of all stores before the first entry */
  constructor(
    readonly base: Map<Cell, unknown>,
    private readonly kernel: Extensible,
  ) {}

  get count(): number {
    return this.entries.length;
  }

  add(entry: PendingAction): PendingAction {
    this.entries.push(entry);
    return entry;
  }

  /** Drops the entries before the first pending one. Returns whether an optimistic action is pending. */
  trim(): boolean {
    const { entries } = this;
    let first = 0;
    while (first < entries.length && !entries[first].open) first++;
    first = startOfGroup(entries, first);
    // What is done in a transaction that is under way may be rolled back.
    const now = this.kernel.transactions.current?.number;
    const own = now === undefined ? -1 : entries.findIndex((entry) => entry.group === now);
    if (own >= 0 && first < entries.length) first = Math.min(first, own);
    for (const entry of entries.slice(0, first))
      if (!entry.gone) for (const [cell, state] of entry.after) this.base.set(cell, state);
    if (first > 0) entries.splice(0, first);
    return entries.length > 0;
  }

  get oldest(): Transition | undefined {
    // What is still being read has none.
    return this.entries.find(({ open, transition }) => open && transition)?.transition;
  }

  /** The states as they are without what is open. */
  confirmedStates(): ReadonlyMap<Cell, unknown> {
    return this.run((entry) => !entry.open).states;
  }

  /** Rebases what follows without some entries. What comes before the first of them is not computed again. */
  without(reverted: readonly PendingAction[]): Recomputed {
    for (const entry of reverted) {
      entry.gone = true;
      entry.open = false;
    }
    const all = new Set(reverted);
    const first = this.entries.findIndex((entry) => all.has(entry));
    return this.accept(this.run(() => true, first));
  }

  /**
   * Rebases what follows onto another action in the place of one.
   * @throws what the other action throws; then nothing changed
   */
  replaced(entry: PendingAction, replacement: AnyAction): Recomputed {
    const { action } = entry;
    entry.action = replacement;
    const outcome = this.run(() => true, this.entries.indexOf(entry));
    const own = outcome.dropped.find((one) => one.entry === entry);
    if (own) {
      entry.action = action;
      throw own.error;
    }
    entry.open = false;
    return this.accept(outcome);
  }

  /** Rebases all entries onto the state that a held entry waited for. */
  filled(entry: PendingAction, after: ReadonlyMap<Cell, unknown>): Recomputed {
    const { began } = entry;
    const line = entry.after;
    entry.after = began
      ? new Map(Array.from(after, ([cell, state]) => [cell, this.onTopOf(state, began.get(cell), line.get(cell))]))
      : after;
    entry.open = false;
    return this.accept(this.run(() => true, this.entries.indexOf(entry)));
  }

  /** Rebases pending entries onto confirmed states that came from elsewhere; all other entries are part of these. */
  restated(states: ReadonlyMap<Cell, unknown>): Recomputed {
    for (const [cell, state] of states) this.base.set(cell, state);
    for (const entry of this.entries)
      if (!entry.open) entry.within = new Set([...(entry.within ?? []), ...states.keys()]);
    return this.accept(this.run(() => true));
  }

  private accept(outcome: Recomputed): Recomputed {
    for (const [entry, states] of outcome.after) entry.after = states;
    for (const one of outcome.dropped) this.close(one.entry);
    return outcome;
  }

  /** Drops entries of a transaction that was rolled back; their optimistic actions are no longer pending. */
  drop(goes: (entry: PendingAction, index: number) => boolean): void {
    const [kept, lost]: [PendingAction[], PendingAction[]] = [[], []];
    let first = Infinity;
    for (const [index, entry] of this.entries.entries()) {
      const isLost = goes(entry, index);
      if (isLost && lost.length === 0) first = index;
      (isLost ? lost : kept).push(entry);
    }
    this.entries = kept;
    for (const entry of lost) this.close(entry);
    // What was done on top of them leaves other states now.
    if (first < kept.length) this.accept(this.run(() => true, first));
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
    if (moved.length > 0) this.accept(this.run(() => true));
  }

  /** Whether the entries lead to these states. */
  leadsTo(stateOf: (cell: Cell) => unknown): boolean {
    return Array.from(this.run(() => true).states).every(([cell, state]) => sameData(state, stateOf(cell)));
  }

  /** A state that was read, with what the shown line did meanwhile to the state before it. */
  private onTopOf(read: unknown, before: unknown, after: unknown): unknown {
    return this.kernel.features.first((hooks) => hooks.onTopOf?.(read, before, after)) ?? read;
  }

  private close(entry: PendingAction): void {
    entry.open = false;
    entry.gone = true;
  }

  /**
   * Computes what counts once more.
   * @param from the index of the first entry that may lead to another state than before
   */
  private run(counts: (entry: PendingAction) => boolean, from = 0): Recomputed {
    const { entries } = this;
    const outcome: Recomputed = { states: new Map(this.base), after: [], dropped: [] };
    const first = startOfGroup(entries, Math.min(from, entries.length));
    for (let i = 0; i < first; i++) {
      const { gone, after } = entries[i];
      if (!gone) for (const [cell, state] of after) outcome.states.set(cell, state);
    }
    const isCounted = (entry: PendingAction): boolean => !entry.gone && counts(entry);
    eachGroup(entries, first, (together) => {
      const counted = together.every(isCounted) ? together : together.filter(isCounted);
      if (counted.length > 0) this.commit(counted, outcome);
    });
    return outcome;
  }

  /** What commits or rolls back together; facts are kept in either case. */
  private commit(together: readonly PendingAction[], outcome: Recomputed): void {
    const { states } = outcome;
    const before = together.length > 1 ? new Map<Cell, unknown>() : undefined;
    try {
      for (const entry of together) this.step(entry, outcome, before);
    } catch (error) {
      for (const [cell, state] of before ?? [])
        if (state === ABSENT) states.delete(cell);
        else states.set(cell, state);
      for (const entry of together) {
        if (entry.action) outcome.dropped.push({ entry, error });
        else this.step(entry, outcome, undefined);
      }
    }
  }

  /** @param before gets the states that were there before */
  private step(entry: PendingAction, { states, after: all }: Recomputed, before: Map<Cell, unknown> | undefined): void {
    const after = this.computedAfter(entry, states);
    for (const [cell, state] of after) {
      if (before && !before.has(cell)) before.set(cell, states.has(cell) ? states.get(cell) : ABSENT);
      states.set(cell, state);
    }
    all.push([entry, after]);
  }

  /** What an entry makes of states, of the stores that had joined, but of those within a state from elsewhere. */
  private computedAfter(entry: PendingAction, states: ReadonlyMap<Cell, unknown>): ReadonlyMap<Cell, unknown> {
    const { action, within, redo, after } = entry;
    const isWithin = (cell: Cell): boolean => within?.has(cell) === true;
    if (action)
      return computed(this.kernel, action, {
        stateOf: (cell) => states.get(cell),
        isLeftOut: (cell) => !states.has(cell) || isWithin(cell),
      });
    if (!redo && !within) return after;
    const stated = Array.from(after, ([cell, state]) => [cell, redo ? redo(states.get(cell)) : state] as const);
    return new Map(stated.filter(([cell]) => !isWithin(cell)));
  }
}

/** Stands for the state of a store that had not joined. */
const ABSENT = {};
