// What optimistic actions do to a runtime: what is open, what is certain, and the one step that settles an action.
import type { AnyAction } from './action.js';
import { brokenBy } from './changing.js';
import { droppedWithout, type FloeError } from './errors.js';
import { DEV } from './mode.js';
import { Provisional, type Computed, type Settling } from './optimistic.js';
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

const NOTHING: Pick<Computed, 'states' | 'dropped'> = { states: new Map(), dropped: [] };

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
    if (optimistic) this.open();
    if (!this.provisional) return;
    const after = new Map(changed.map((one) => [one.slot, one.after]));
    const entry = { action, after, group, transition, open: optimistic !== undefined, gone: false };
    this.provisional.add(entry);
    optimistic?.became(entry);
  }

  private open(): Provisional {
    if (!this.provisional) {
      const base = new Map<Slot, unknown>();
      for (const slot of this.host.storeSlots()) base.set(slot, slot.state);
      this.provisional = new Provisional(base, (...given) => this.host.compute(...given));
    }
    return this.provisional;
  }

  /** Holds the place of a state that is still being read: what is done from now on is kept on top of it. */
  hold(slot: Slot): Settling {
    const after = new Map([[slot, slot.state]]);
    const held = { action: undefined, after, group: undefined, transition: undefined, open: true, gone: false };
    this.open().add(held);
    return held;
  }

  /** The state is there: what was done meanwhile is applied on top of it. One step with the net difference. */
  fill(held: Settling, slot: Slot, state: unknown): Transition | undefined {
    const states = new Map([[slot, state]]);
    // It is open until now, so that there is something to fill.
    return this.show(this.provisional!.filled(held, states), 'rehydrated', { by: 'storage' }, {});
  }

  /** The certain states are others from now on, as a storage or another tab says; what is open goes on top of them. */
  restate(states: ReadonlyMap<Slot, unknown>, fact: FactName, cause: Cause): Transition | undefined {
    return this.show(this.provisional?.restated(states) ?? { states, dropped: [] }, fact, cause, {});
  }

  /** A state that is stated, not computed, stays whatever is taken back. */
  addFact(slot: Slot, state: unknown, group: number | undefined): void {
    const after = new Map([[slot, state]]);
    this.provisional?.add({ action: undefined, after, group, transition: undefined, open: false, gone: false });
  }

  /** What stood or fell together fell. */
  dropGroup(number: number): void {
    this.provisional?.drop(({ group }) => group === number);
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
    }, this.host.storeSlots());
    // Something else happened on that line as well: what is open there stays.
    if (provisional.trim() && !provisional.leadsTo((slot) => slot.state))
      provisional.keep(() => false, this.host.storeSlots());
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
    const { provisional } = this;
    if (!entry.open || !provisional) return undefined;
    const { type } = entry.action!;
    const more = { action: replacement, about: entry.transition };
    if (how === 'confirmed' && !replacement) {
      entry.open = false;
      return this.show(NOTHING, how, cause, more, type);
    }
    return this.show(provisional.again(entry, replacement), how, cause, more, type);
  }

  /** Puts the states in place that were computed anew. */
  private show(
    { states, dropped }: Pick<Computed, 'states' | 'dropped'>,
    fact: FactName,
    cause: Cause,
    more: Partial<Transition>,
    type = fact as string,
  ): Transition | undefined {
    const { host } = this;
    const changed: SlotChange[] = [];
    for (const [slot, state] of states) {
      // What stays the same stays the same object.
      const after = keeping(slot.state, state);
      if (after !== slot.state) changed.push(slotChange(slot, after));
    }
    const problems: FloeError[] = dropped.map((one) => droppedWithout(one.entry.action!.type, type, one.error));
    problems.push(...brokenBy(changed, more.action?.type ?? type));
    const transition = host.recorded ? host.ofFact(fact, changed, cause, more) : undefined;
    for (const { slot, after } of changed) {
      if (DEV) guardData(after, { at: '', what: `The state of '${slot.store.name}' after '${type}'` });
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
