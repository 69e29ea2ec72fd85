// Rebasing: what optimistic actions, and states that are still being read, do to a runtime. Later actions are rebased when
// one of these is settled.
import type { AnyAction } from '../../model/action.js';
import { droppedWithout } from '../../base/errors.js';
import { DEV } from '../../base/mode.js';
import {
  eachFeature,
  type Applying,
  type Feature,
  type Hooks,
  type Extensible,
  type Rebased,
  type SettleHow,
  type Stated,
} from '../../kernel/feature.js';
import { isShown } from '../../kernel/line.js';
import { show } from '../../kernel/stating.js';
import { givenTo } from '../../kernel/states.js';
import { guardData } from '../../data/guard.js';
import type { Cell, CellChange } from '../../kernel/cell.js';
import type { Applied, Transaction } from '../../kernel/transaction.js';
import type { Cause, FactName, Transition } from '../../kernel/transition.js';
import { PendingLog, type Computed, type PendingAction } from './pending.js';

/** What tasks install with their first optimistic action, and storages that take time to read. */
export const rebasing: Feature<Rebasing> = { name: 'rebasing', install: (kernel) => new Rebasing(kernel) };

const NOTHING: Rebased = { states: new Map() };

const rebased = ({ states, touches, dropped }: Computed): Rebased => ({
  states,
  touches,
  problems: (type) =>
    dropped.map(({ entry: { action, transition }, error }) => ({
      error: droppedWithout(action!.type, type, error),
      of: { action: action!, ...(transition?.step !== undefined && { step: transition.step }) },
    })),
});

/** What becomes of an optimistic action. */
interface Settlement {
  /** What takes its place. */
  readonly replacement?: AnyAction | undefined;
  /** Called when it stays open, since what is to take its place throws. */
  readonly failed?: (() => void) | undefined;
}

/** The cells of the stores, without those that hold the status of a task. */
function* storeCells(kernel: Extensible): Iterable<Cell> {
  for (const cell of kernel.cells.values()) if (!cell.store.internal) yield cell;
}

const shownStates = (kernel: Extensible): ReadonlyMap<Cell, unknown> =>
  new Map(Array.from(storeCells(kernel), (cell) => [cell, kernel.stateOf(cell)]));

/** A transaction and those around it, the outermost first. */
function chainOf(innermost: Transaction | undefined): readonly Transaction[] {
  const chain: Transaction[] = [];
  for (let one = innermost; one; one = one.outer) chain.unshift(one);
  return chain;
}

export class Rebasing implements Hooks {
  /** There while something is open. */
  private log: PendingLog | undefined;

  constructor(private readonly kernel: Extensible) {}

  pinned(): Transition | undefined {
    return this.log?.oldest;
  }

  confirmed(): ReadonlyMap<Cell, unknown> | undefined {
    return this.log?.certain();
  }

  private open(): PendingLog {
    if (!this.log) {
      const { kernel } = this;
      const { transaction } = kernel;
      const base = new Map<Cell, unknown>();
      for (const cell of storeCells(kernel)) base.set(cell, kernel.stateOf(cell));
      const outermostFirst = transaction ? chainOf(transaction) : [];
      for (const { before } of [...outermostFirst].reverse())
        for (const [cell, state] of before) if (base.has(cell)) base.set(cell, state);
      this.log = new PendingLog(base, kernel);
      kernel.attending = this;
      // A transaction commits as a whole: what was done in it before is reverted and rebased with the rest.
      for (const { applied, number } of outermostFirst) for (const one of applied) this.note(one, number);
    }
    return this.log;
  }

  /** Keeps what was applied before something was open. */
  private note({ action, changes, transition }: Applied, group: number): void {
    const after = new Map(changes.map((one) => [one.cell, one.after]));
    // Part of a transaction: what it was given is not asked for.
    this.log!.add({ action, before: after, after, group, transition, open: false, gone: false });
  }

  /** Keeps an action that is about to be applied, as long as something is open; or opens one. */
  committing(
    action: AnyAction,
    changed: readonly CellChange[],
    group: number | undefined,
    transition: Transition | undefined,
    by: Applying | undefined,
  ): void {
    const optimistic = by?.optimistic;
    if (optimistic) this.open();
    if (!this.log) return;
    const after = new Map(changed.map((one) => [one.cell, one.after]));
    const { kernel } = this;
    const before = givenTo(kernel, action, (cell) => kernel.stateOf(cell));
    const open = optimistic !== undefined;
    const entry = this.log.add({ action, before, after, group, transition, open, gone: false });
    optimistic?.became(entry);
  }

  /** A state that is stated, not computed, stays whatever is reverted. */
  stated(cell: Cell, state: unknown, group: number | undefined, { joins, redo }: Stated): void {
    const after = new Map([[cell, state]]);
    this.log?.add({
      ...{ action: undefined, before: after, after, group, transition: undefined },
      ...{ joins, redo, open: false, gone: false },
    });
  }

  /**
   * Holds the place of a state that is still being read: what is done from now on is kept on top of it. When the state is
   * there, that is one step with the net difference. Readers may already have seen the initial state.
   */
  fill(cell: Cell, stored: PromiseLike<unknown>): void {
    const { kernel } = this;
    const after = new Map([[cell, kernel.stateOf(cell)]]);
    // Inside of a transaction it parts no action of that from the others, and stays when these are rolled back.
    const held = this.open().add({
      ...{ action: undefined, before: after, after, group: kernel.transaction?.number, transition: undefined },
      ...{ joins: true, open: true, gone: false },
    });
    // Also after the end: what was done on top of it is stored then.
    void stored.then((state) => {
      if (DEV) guardData(state, { at: '', what: `The stored state of '${cell.store.name}'` });
      kernel.later(() =>
        kernel.views.atLive(() => {
          // It is open until now, so that there is something to fill.
          const filled = this.log!.filled(held, new Map([[cell, state]]));
          const transition = this.show(filled, 'rehydrated', { by: 'storage' });
          if (kernel.views.isUnseen) eachFeature(kernel, (hooks) => hooks.readUnseen?.(cell, state, transition));
          kernel.notify();
        }),
      );
    });
  }

  rebase(states: ReadonlyMap<Cell, unknown>): Rebased | undefined {
    return this.log && rebased(this.log.restated(states));
  }

  /** How many entries there are; or would be, were something opened now. */
  savepoint(): number {
    const { log, kernel } = this;
    if (log) return log.count;
    return chainOf(kernel.transaction).reduce((sum, { applied }) => sum + applied.length, 0);
  }

  /** What is stated outside of transactions stays, states that are still being read; and stores that joined stay. */
  rollBack(savepoint = 0): void {
    this.log?.drop(({ group, joins }, index) => group !== undefined && joins !== true && index >= savepoint);
    this.trim();
  }

  /** On another line only what is part of it can still be reverted. */
  lineChanged(): void {
    const { log, kernel } = this;
    if (!log) return;
    let onLine = true;
    log.keep(({ action, transition }) => {
      if (action) onLine = isShown(kernel, transition);
      return onLine;
    }, shownStates(kernel));
    // Something else happened on that line as well: what is open there stays.
    if (log.trim() && !log.leadsTo((cell) => kernel.stateOf(cell))) log.keep(() => false, shownStates(kernel));
    this.trim();
  }

  private trim(): void {
    if (!this.log || this.log.trim()) return;
    this.log = undefined;
    this.kernel.attending = undefined;
  }

  /** Confirms or reverts an optimistic action, or puts another one in its place; after the outermost transaction. */
  settle(entry: PendingAction, how: SettleHow, cause: Cause, { replacement, failed }: Settlement): void {
    const { kernel } = this;
    if (!entry.open || kernel.isClosed) return;
    kernel.later(() =>
      kernel.views.atLive(() => {
        let transition: Transition | undefined;
        const { open: wasOpen, action } = entry;
        try {
          transition = this.settleNow(entry, how, cause, replacement);
        } catch (error) {
          failed?.();
          throw error;
        }
        kernel.notify();
        if (action && wasOpen) eachFeature(kernel, (hooks) => hooks.settled?.(action, how));
        if (replacement) kernel.afterwards(replacement, transition);
      }),
    );
  }

  /**
   * One step with the net difference.
   * @throws what the action that is to take its place throws; then nothing changed
   */
  private settleNow(
    entry: PendingAction,
    how: SettleHow,
    cause: Cause,
    replacement: AnyAction | undefined,
  ): Transition | undefined {
    const { log } = this;
    if (!entry.open || !log) return undefined;
    const { type } = entry.action!;
    const more = { action: replacement, about: entry.transition };
    if (how === 'confirmed' && !replacement) {
      entry.open = false;
      return this.show(NOTHING, how, cause, more, type);
    }
    return this.show(rebased(log.again(entry, replacement)), how, cause, more, type);
  }

  private show(
    what: Rebased | Computed,
    fact: FactName,
    cause: Cause,
    more: Partial<Transition> = {},
    type?: string,
  ): Transition | undefined {
    // Listeners, the storages among them, already find what is pending then.
    this.trim();
    return show(this.kernel, 'dropped' in what ? rebased(what) : what, fact, cause, more, type);
  }
}
