// Views: versions of all states, each with everything that belongs to it. The screen and the live line of transitions are one
// view, until time travel shows a past step on the screen.
import type { Touches } from '../data/touches.js';
import type { Ground, Informed, Invalidated } from '../reading/entry.js';
import { Reading } from '../reading/reading.js';
import { TrackedPlace } from '../reactive/tracking.js';
import type { Cell, CellChange } from './cell.js';

/** What is notified next, in the order in which it became due. Its list is used again. */
export class Due {
  private readonly list: (Informed | undefined)[] = [];
  count = 0;
  /** Values that components show: a framework learns of all of them before the first watcher is notified. */
  private invalidated: Invalidated[] = [];

  add(informed: Informed): void {
    this.list[this.count++] = informed;
  }
  addInvalidated(one: Invalidated): void {
    this.invalidated.push(one);
  }
  get isEmpty(): boolean {
    return this.count === 0 && this.invalidated.length === 0;
  }
  /** Notifies all, those too that are added meanwhile. */
  notify(): void {
    try {
      this.invalidate();
      for (let i = 0; i < this.count; i++) {
        const informed = this.list[i]!;
        this.list[i] = undefined;
        informed.inform();
      }
      // What a watcher has changed meanwhile.
      this.invalidate();
    } finally {
      // Whatever a host's report of a problem does: what was notified is not notified again.
      this.count = 0;
    }
  }
  private invalidate(): void {
    while (this.invalidated.length > 0) {
      const all = this.invalidated;
      this.invalidated = [];
      for (const one of all) one.invalidate();
    }
  }
  clear(): void {
    this.count = 0;
    this.invalidated = [];
  }
}

/** One version of all states: places that selectors depend on, cached values, and what is due. */
export class View {
  /** By the index of a cell. Only `commit` and `add` assign to it. */
  readonly states: unknown[] = [];
  readonly places: TrackedPlace[] = [];
  /** Whether listeners know the store on the line of this view, by the index of a cell. */
  readonly known: boolean[] = [];
  readonly due = new Due();
  readonly reading: Reading;

  constructor(ground: Ground) {
    this.reading = new Reading(ground, this);
  }

  add({ index, store }: Cell, state: unknown, known: boolean): void {
    this.states[index] = state;
    this.places[index] = new TrackedPlace(undefined, store.name);
    this.known[index] = known;
  }

  /** Makes a state the present one, and marks what depends on it. Nothing else writes a state. It calls no other code. */
  commit(index: number, after: unknown, touches: Touches | undefined): void {
    const before = this.states[index];
    this.states[index] = after;
    this.places[index].changed(before, after, touches);
  }

  /** A change of a store, as it is recorded: where listeners do not know the store yet, it joins. */
  change(cell: Cell, after: unknown): CellChange {
    const { store, index } = cell;
    return this.known[index]
      ? { store, cell, before: this.states[index], after }
      : { store, cell, before: undefined, after, joined: true };
  }
}

export class Views {
  /** What the watchers of the application read. */
  screen: View;
  /** The newest states of the line. Another view than the screen only while a past step is shown. */
  live: View;
  /** The one that is worked on. */
  current: View;
  private readonly afterwards: (() => void)[] = [];

  constructor(readonly ground: Ground) {
    this.screen = this.live = this.current = new View(ground);
  }

  /** The state of a store on the view that is worked on. */
  stateOf({ index }: Cell): unknown {
    return this.current.states[index];
  }
  /** Whether what is worked on is a past step that the screen shows. */
  get showsPast(): boolean {
    return this.screen !== this.live && this.current === this.screen;
  }
  /** Whether what is worked on is not on the screen. */
  get isUnseen(): boolean {
    return this.current !== this.screen;
  }

  add(cell: Cell, state: unknown, known: boolean): void {
    this.screen.add(cell, state, known);
    if (this.live !== this.screen) this.live.add(cell, state, known);
  }

  /** Does something on the live view. */
  atLive<T>(fn: () => T): T {
    if (this.current === this.live) return fn();
    this.current = this.live;
    try {
      return fn();
    } finally {
      this.current = this.screen;
      for (const then of this.afterwards.splice(0)) then();
    }
  }

  /** Calls `fn` now, or when what is worked on is the screen again. */
  outside(fn: () => void): void {
    if (this.isUnseen) this.afterwards.push(fn);
    else fn();
  }
}
