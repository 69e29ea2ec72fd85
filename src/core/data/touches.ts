// What drafts know of the containers that they changed, for whoever looks for a difference.
import type { Branch } from './plain.js';

/** What a draft knows about one container that it changed: what it was before, and which keys were touched. */
export interface Touch {
  readonly base: Branch;
  /** The touched keys, none twice. */
  readonly keys: readonly string[] | undefined;
  /** Items of an array moved about: the touched keys do not tell. */
  readonly moved: boolean;
}

/** What is known about the containers of the next state. */
export interface Touches {
  get(after: unknown): Touch | undefined;
  /** Whether the change may have made a copy of an object: it asked for all of its keys. Unknown where no draft was edited. */
  wasCopied?(before: object): boolean | undefined;
  /** All containers that are another version of one that was there. */
  each?(): Iterable<object>;
}

/** What drafts knew, when they have gone on to another change. */
export class KnownTouches extends Map<unknown, Touch> implements Touches {
  private copies: Set<object> | undefined;

  /** Notes the objects whose keys were asked for. */
  note(copies: Iterable<object>): void {
    this.copies ??= new Set();
    for (const one of copies) this.copies.add(one);
  }
  wasCopied(before: object): boolean | undefined {
    return this.copies?.has(before);
  }
  each(): Iterable<object> {
    return this.keys() as Iterable<object>;
  }
}

/** What a value was before: the same one, or the one that a draft of it was made of. */
export function originOf(value: unknown, touches: Touches): unknown {
  let origin = value;
  for (let touch = touches.get(origin); touch; touch = touches.get(origin)) origin = touch.base;
  return origin;
}
