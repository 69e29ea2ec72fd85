// Who an item of a list is, from one state to the next: drafts say of which item a changed one is the next version.
import {
  type Container,
  isContainer,
  isKeyed,
  KEYED,
  kindOf,
  originOf,
  partOf,
  type Touches,
} from '../core/internal.js';
import { looksAlike } from './alike.js';

export class Identities {
  /** The first version of each object that is a later one. */
  private readonly first = new WeakMap<object, object>();

  /** What is the same for all versions of an item; of a text or a number, it itself. */
  of(value: unknown): unknown {
    return typeof value === 'object' && value !== null ? (this.first.get(value) ?? value) : value;
  }

  /** Notes that an object is the next version of another. */
  succeed(after: unknown, before: unknown): void {
    if (after !== before && isContainer(after) && isContainer(before)) this.first.set(after, this.of(before) as object);
  }

  /** Learns from a transition which objects are later versions of which. */
  follow(before: unknown, after: unknown, touches: Touches | undefined): void {
    if (touches?.each) {
      for (const changed of touches.each()) this.succeed(changed, originOf(changed, touches));
      // Drafts know it all, but for copies: `list[0] = { ...list[0], phase: 2 }`.
      if (touches.wasCopied?.(this) !== undefined) return this.inPlace(before, after, touches);
    }
    this.inPlace(before, after);
  }

  /** Learns that two states are the same one: an item of one is the item of the other at the same place. */
  same(known: unknown, state: unknown): void {
    if (known === state || !isContainer(known) || !isContainer(state)) return;
    if (!this.first.has(state)) this.succeed(state, known);
    if (isKeyed(known) && isKeyed(state))
      for (const key of known[KEYED].difference(known, state).changed) this.same(known.get(key), state.get(key));
    else for (const key of Object.keys(known)) this.same(partOf(known, key), partOf(state, key));
  }

  /**
   * Where no draft knows: what looks alike at the same place is taken for the next version.
   * @param copies given where drafts were edited: only what they copied is looked at
   */
  private inPlace(before: unknown, after: unknown, copies?: Touches): void {
    const kind = kindOf(before);
    if (before === after || kind === 0 || kind !== kindOf(after)) return;
    if (isKeyed(before) && isKeyed(after)) {
      for (const key of before[KEYED].difference(before, after).changed)
        this.inPlace(before.get(key), after.get(key), copies);
    } else if (Array.isArray(before)) this.items(before, after as unknown[], copies);
    else
      for (const key of Object.keys(before as Container)) this.inPlace(partOf(before, key), partOf(after, key), copies);
  }

  private items(before: readonly unknown[], after: readonly unknown[], copies: Touches | undefined): void {
    if (before.length !== after.length) return;
    const still = new Set(after);
    for (const [i, old] of before.entries()) {
      const now = after[i];
      if (old === now || still.has(old) || !isContainer(old)) continue;
      const isCopy = copies ? copies.wasCopied?.(old) === true && !copies.get(now) : looksAlike(old, now);
      if (isCopy) this.succeed(now, old);
      if (isCopy || copies) this.inPlace(old, now, copies);
    }
  }
}
