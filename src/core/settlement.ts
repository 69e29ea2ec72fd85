// What optimistic actions do to a runtime: what is open, what is certain, and the one step that settles an action.
import type { AnyAction } from './action.js';
import { brokenBy } from './changing.js';
import { droppedWithout, type FloeError } from './errors.js';
import { DEV } from './mode.js';
import { Provisional, type Settling } from './optimistic.js';
import { guardData, keeping } from './plain.js';
import { slotChange, type Compute, type Slot, type SlotChange } from './slot.js';
import type { Cause, FactName, StoreChange, Transition } from './transition.js';

/** What settling needs of the runtime. */
export interface SettlementHost {
  readonly recorded: boolean;
  /** The slots of the stores, without those that hold the status of a task. */
  storeSlots(): Iterable<Slot>;
  readonly compute: Compute;
  isShown(transition: Transition | undefined): boolean;
  ofFact(fact: FactName, changed: readonly StoreChange[], cause: Cause, more?: Partial<Transition>): Transition;
  tell(transition: Transition): void;
  problem(error: unknown, transition?: Transition): void;
}

export class Settlement {
  /** There while something is open. */
  private provisional: Provisional | undefined;

  constructor(private readonly host: SettlementHost) {}

  get isOpen(): boolean {
    return this.provisional !== undefined;
  }

  /** The oldest that is open. */
  get oldestOpen(): Transition | undefined {
    return this.provisional?.oldest;
  }

  /** The states without what is open, where something is. */
  certain(): ReadonlyMap<Slot, unknown> | undefined {
    return this.provisional?.certain();
  }

  /** Keeps an action that is about to be applied, as long as something is open; or opens one. */
  add(
    action: AnyAction,
    changed: readonly SlotChange[],
    group: number | undefined,
    transition: Transition | undefined,
    optimistic: { became(entry: Settling): void } | undefined,
  ): void {
    if (optimistic && !this.provisional) {
      const base = new Map<Slot, unknown>();
      for (const slot of this.host.storeSlots()) base.set(slot, slot.state);
      this.provisional = new Provisional(base, (one, stateOf) => this.host.compute(one, stateOf));
    }
    if (!this.provisional) return;
    const after = new Map(changed.map((one) => [one.slot, one.after]));
    const entry = { action, after, group, transition, open: optimistic !== undefined, gone: false };
    this.provisional.add(entry);
    optimistic?.became(entry);
  }

  /** A state that is stated, not computed, stays whatever is taken back. */
  addFact(slot: Slot, state: unknown, group: number | undefined): void {
    const after = new Map([[slot, state]]);
    this.provisional?.add({ action: undefined, after, group, transition: undefined, open: false, gone: false });
  }

  /** What stood or fell together fell. */
  dropGroup(number: number): void {
    this.provisional?.keep(({ group }) => group !== number);
    this.letGo();
  }

  /** On another line only what is part of it can still be taken back. */
  keepOnLine(): void {
    const { provisional } = this;
    if (!provisional) return;
    let onLine = true;
    provisional.keep(({ action, transition }) => {
      if (action) onLine = this.host.isShown(transition);
      return onLine;
    });
    // Something else happened on that line as well: what is open there stays.
    if (provisional.trim() && !provisional.leadsTo((slot) => slot.state)) provisional.keep(() => false);
    this.letGo();
  }

  private letGo(): void {
    if (this.provisional && !this.provisional.trim()) this.provisional = undefined;
  }

  /**
   * Confirms an action, puts another in its place, or takes it back: one step with the net difference.
   * @throws what the action that is to take its place throws; then nothing changed
   */
  settle(
    entry: Settling,
    how: 'confirmed' | 'reverted',
    cause: Cause,
    replacement?: AnyAction,
  ): Transition | undefined {
    const { provisional, host } = this;
    if (!entry.open || !provisional) return undefined;
    const { type } = entry.action!;
    const changed: SlotChange[] = [];
    const problems: FloeError[] = [];
    if (how === 'confirmed' && !replacement) entry.open = false;
    else {
      const { states, dropped } = provisional.again(entry, replacement);
      for (const [slot, state] of states) {
        // What stays the same stays the same object.
        const after = keeping(slot.state, state);
        if (after !== slot.state) changed.push(slotChange(slot, after));
      }
      problems.push(...dropped.map((one) => droppedWithout(one.entry.action!.type, type, one.error)));
      problems.push(...brokenBy(changed, replacement?.type ?? type));
    }
    const transition = host.recorded
      ? host.ofFact(how, changed, cause, { action: replacement, about: entry.transition })
      : undefined;
    for (const { slot, after } of changed) {
      if (DEV) guardData(after, { at: '', what: `The state of '${slot.store.name}' without '${type}'` });
      const before = slot.state;
      slot.state = after;
      slot.told ||= host.recorded;
      slot.place.changed(before, after, undefined);
    }
    for (const problem of problems) host.problem(problem, transition);
    this.letGo();
    if (transition) host.tell(transition);
    return transition;
  }
}
