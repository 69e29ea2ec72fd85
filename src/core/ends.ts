// What is shown, and the live end. They are the same until the cursor of a trace goes into the past; from then on the slots
// hold what is shown, and the live end stands beside, with values read and watchers of its own.
import { Place } from './tracking.js';
import type { Informed, Reading } from './reading.js';
import type { Slot } from './slot.js';
import type { Derivation } from './source.js';

interface OtherEnd {
  readonly slots: Map<Slot, Pick<Slot, 'state' | 'place' | 'told'>>;
  reading: Reading;
  due: Due;
}

/** Who is informed at the next notification, in the order in which they asked. Its list is used again. */
export class Due {
  private readonly list: (Informed | undefined)[] = [];
  count = 0;

  add(informed: Informed): void {
    this.list[this.count++] = informed;
  }
  /** Informs all, those too that are added meanwhile. */
  inform(): void {
    try {
      for (let i = 0; i < this.count; i++) {
        const informed = this.list[i]!;
        this.list[i] = undefined;
        informed.inform();
      }
    } finally {
      // Whatever a host's report of a problem does: what was told is not told again.
      this.count = 0;
    }
  }
  clear(): void {
    this.count = 0;
  }
}

export class Ends {
  readonly slots = new Map<string, Slot>();
  reading: Reading;
  due = new Due();
  /** The live end, or what is shown while something is done at the live end. */
  private other: OtherEnd | undefined;
  /** Something is done at the live end, unseen. */
  unseen = false;
  private readonly afterwards: (() => void)[] = [];

  constructor(private readonly makeReading: () => Reading) {
    this.reading = makeReading();
  }

  /** Whether the slots hold a past that is looked at. */
  get showsPast(): boolean {
    return this.other !== undefined && !this.unseen;
  }

  /** Has the selectors of a reloaded module take the place of those that it declared before. */
  renew(successorOf: (of: Derivation) => Derivation | undefined): void {
    this.reading.renew(successorOf);
    this.other?.reading.renew(successorOf);
  }

  add(slot: Slot): void {
    this.slots.set(slot.store.name, slot);
    this.other?.slots.set(slot, otherOf(slot));
  }

  /** From now on something else than the live end may be shown. */
  part(): void {
    this.other ??= {
      slots: new Map(Array.from(this.slots.values(), (slot) => [slot, otherOf(slot)])),
      reading: this.makeReading(),
      due: new Due(),
    };
  }

  /** What is shown is the live end. */
  join(): void {
    this.other = undefined;
  }

  /** Does something at the live end, unseen while the cursor is in the past. */
  atLive<T>(fn: () => T): T {
    const { other } = this;
    if (!other || this.unseen) return fn();
    this.change(other);
    this.unseen = true;
    try {
      return fn();
    } finally {
      this.unseen = false;
      this.change(other);
      for (const fn of this.afterwards.splice(0)) fn();
    }
  }

  /** Calls `fn` now, or when what is done unseen is done: then the slots hold what is shown again. */
  outside(fn: () => void): void {
    if (this.unseen) this.afterwards.push(fn);
    else fn();
  }

  private change(other: OtherEnd): void {
    for (const [slot, { state, place, told }] of other.slots) {
      other.slots.set(slot, { state: slot.state, place: slot.place, told: slot.told });
      Object.assign(slot, { state, place, told });
    }
    [this.reading, other.reading] = [other.reading, this.reading];
    [this.due, other.due] = [other.due, this.due];
  }
}

const otherOf = ({ store, state, told }: Slot) => ({ state, told, place: new Place(undefined, store.name) });
