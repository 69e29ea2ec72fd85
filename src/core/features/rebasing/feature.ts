// Rebasing: what optimistic actions, and states that are still being read, do to a runtime. Later actions are rebased when
// one of these is settled.
import type { AnyAction } from '../../model/action.js';
import { droppedWithout } from '../../base/errors.js';
import { DEV } from '../../base/mode.js';
import type { Feature, Extensible } from '../../kernel/feature.js';
import type { Applying, Hooks, Rebased, Stated } from '../../kernel/hooks.js';
import { isShown } from '../../kernel/line.js';
import { show } from '../../kernel/stating.js';
import { guardData } from '../../data/guard.js';
import type { Cell } from '../../kernel/cell.js';
import type { Applied, Transaction } from '../../kernel/transaction.js';
import type { Cause, FactName, Transition } from '../../kernel/transition.js';
import { PendingLog, type Recomputed, type PendingAction } from './pending.js';

/** What tasks install with their first optimistic action, and storages that take time to read. */
export const rebasing: Feature<Rebasing> = { name: 'rebasing', install: (kernel) => new Rebasing(kernel) };

const NOTHING: Rebased = { states: new Map() };

const rebased = ({ states, dropped }: Recomputed): Rebased => ({
  states,
  problems: (type) =>
    dropped.map(({ entry: { action, transition }, error }) => ({
      error: droppedWithout(action!.type, type, error),
      of: { action: action!, ...(transition?.step !== undefined && { step: transition.step }) },
    })),
});

/** The cells of the stores, without those that hold the status of a task. */
function* storeCells(kernel: Extensible): Iterable<Cell> {
  for (const cell of kernel.cells.values()) if (!cell.store.internal) yield cell;
}

const shownStates = (kernel: Extensible): ReadonlyMap<Cell, unknown> =>
  new Map(Array.from(storeCells(kernel), (cell) => [cell, kernel.views.stateOf(cell)]));

/** A transaction and those around it, the outermost first. */
function chainOf(innermost: Transaction | undefined): readonly Transaction[] {
  const chain: Transaction[] = [];
  for (let one = innermost; one; one = one.outer) chain.unshift(one);
  return chain;
}

export class Rebasing implements Hooks {
  /** There while something is open. Tools look at it. */
  log: PendingLog | undefined;
  /** What is reverted together when the batch or the transaction ends. */
  private joint: { readonly run: number | undefined; readonly entries: PendingAction[] } | undefined;

  constructor(private readonly kernel: Extensible) {}

  pinned(): Transition | undefined {
    return this.log?.oldest;
  }

  confirmed(): ReadonlyMap<Cell, unknown> | undefined {
    return this.log?.confirmedStates();
  }

  private open(): PendingLog {
    if (!this.log) {
      const { kernel } = this;
      const transaction = kernel.transactions.current;
      const base = new Map<Cell, unknown>();
      for (const cell of storeCells(kernel)) base.set(cell, kernel.views.stateOf(cell));
      const outermostFirst = transaction ? chainOf(transaction) : [];
      for (const { before } of [...outermostFirst].reverse())
        for (const [cell, state] of before) if (base.has(cell)) base.set(cell, state);
      this.log = new PendingLog(base, kernel);
      kernel.features.attending = this;
      // A transaction commits as a whole: what was done in it before is reverted and rebased with the rest.
      for (const { applied, number } of outermostFirst) for (const one of applied) this.note(one, number, false);
    }
    return this.log;
  }

  private note({ action, changes, transition }: Applied, group: number | undefined, open: boolean): PendingAction {
    const after = new Map(changes.map((one) => [one.cell, one.after]));
    return this.log!.add({ action, after, group, transition, open, gone: false });
  }

  /** Keeps an action that is about to be applied, as long as something is open; or opens one. */
  committing(applied: Applied, group: number | undefined, by: Applying | undefined): void {
    const optimistic = by?.optimistic;
    if (optimistic) this.open();
    if (!this.log) return;
    const entry = this.note(applied, group, optimistic !== undefined);
    optimistic?.became(entry);
  }

  /** A state that is stated, not computed, stays whatever is reverted. */
  stated(cell: Cell, state: unknown, group: number | undefined, { joins, redo }: Stated): void {
    const after = new Map([[cell, state]]);
    this.log?.add({ action: undefined, after, group, transition: undefined, joins, redo, open: false, gone: false });
  }

  /**
   * Holds the place of a state that is still being read: what is done from now on is kept on top of it. When the state is
   * there, that is one step with the net difference. Readers may already have seen the initial state.
   */
  fill(cell: Cell, stored: PromiseLike<unknown>): void {
    const { kernel } = this;
    const after = new Map([[cell, kernel.views.stateOf(cell)]]);
    // Inside of a transaction it parts no action of that from the others, and stays when these are rolled back.
    const held = this.open().add({
      ...{ action: undefined, after, group: kernel.transactions.current?.number, transition: undefined },
      ...{ joins: true, open: true, gone: false },
    });
    // Also after the end: what was done on top of it is stored then.
    void stored.then((state) => {
      if (DEV) guardData(state, { at: '', what: `The stored state of '${cell.store.name}'` });
      kernel.later(() =>
        kernel.views.atLive(() => {
          // It is open until now, so that there is something to fill.
          const filled = this.log!.filled(held, new Map([[cell, state]]));
          const transition = this.show(filled, 'rehydrated', { cause: { by: 'storage' } });
          if (kernel.views.isUnseen) kernel.features.each((hooks) => hooks.readUnseen?.(cell, state, transition));
          kernel.notifications.notify();
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
    return chainOf(kernel.transactions.current).reduce((sum, { applied }) => sum + applied.length, 0);
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
    if (log.trim() && !log.leadsTo((cell) => kernel.views.stateOf(cell))) log.keep(() => false, shownStates(kernel));
    this.trim();
  }

  private trim(): void {
    if (!this.log || this.log.trim()) return;
    this.log = undefined;
    this.kernel.features.attending = undefined;
  }

  /**
   * Confirms an optimistic action; after the outermost transaction.
   * @param replacement what takes its place
   * @param failed called when it stays open, since what is to take its place throws
   */
  confirm(entry: PendingAction, cause: Cause, replacement?: AnyAction, failed?: () => void): void {
    const { kernel } = this;
    if (!entry.open || kernel.isClosed) return;
    this.joint = undefined;
    this.settle(kernel.later, () => {
      if (!entry.open || !this.log) return;
      const { action } = entry;
      const more = { action: replacement, about: entry.transition };
      let outcome: Rebased = NOTHING;
      try {
        if (replacement) outcome = rebased(this.log.replaced(entry, replacement));
        else entry.open = false;
      } catch (error) {
        failed?.();
        throw error;
      }
      const transition = this.show(outcome, 'confirmed', { ...more, cause, type: action!.type });
      kernel.notifications.notify();
      kernel.features.each((hooks) => hooks.settled?.(action!, 'confirmed'));
      if (replacement) kernel.features.afterwards(replacement, transition, kernel.handlers.to(replacement).tasks);
    });
  }

  /** Reverts optimistic actions of one run; those of one batch or transaction are reverted together at its end. */
  revert(entries: readonly PendingAction[], cause: Cause): void {
    const { kernel, joint } = this;
    if (kernel.isClosed) return;
    if (joint && joint.run === cause.run) return void joint.entries.push(...entries);
    const own = { run: cause.run, entries: [...entries] };
    this.joint = own;
    this.settle(kernel.transactions.afterBatch, () => {
      if (this.joint === own) this.joint = undefined;
      const reverted = own.entries.filter(({ open }) => open);
      if (reverted.length === 0 || !this.log) return;
      const [about, ...alsoAbout] = reverted.flatMap(({ transition }) => transition ?? []);
      const more = { about, ...(alsoAbout.length > 0 && { alsoAbout }) };
      const [first] = reverted;
      this.show(rebased(this.log.without(reverted)), 'reverted', { ...more, cause, type: first.action!.type });
      kernel.notifications.notify();
      for (const { action } of reverted) kernel.features.each((hooks) => hooks.settled?.(action!, 'reverted'));
    });
  }

  private settle(when: (fn: () => void) => void, fn: () => void): void {
    when(() => this.kernel.views.atLive(fn));
  }

  private show(
    what: Rebased | Recomputed,
    fact: FactName,
    more: Partial<Transition> & { readonly cause: Cause; readonly type?: string },
  ): Transition | undefined {
    // Listeners, the storages among them, already find what is pending then.
    this.trim();
    return show(this.kernel, 'dropped' in what ? rebased(what) : what, fact, more);
  }
}
