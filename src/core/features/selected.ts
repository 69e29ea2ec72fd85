// What a component selects, for frameworks that themselves track what a function reads: signals, refs and runes.
import { INLINE, type Read, type Recipe, type Source } from '../model/source.js';
import { holdOf, selectedRecipe, type Hold } from './hold.js';

/**
 * A selection whose value a framework computes whenever it is invalid. A function that is written in a component may read the
 * framework's own state as well: it runs inside of `get`, so that the framework sees that.
 */
export class Selected<T> {
  private readonly recipe: Recipe<T>;
  private hold: Hold<T>;
  private stop: (() => void) | undefined;
  private isRenewing = false;

  /** @param changed is called when the value may be another one; it must make the framework compute it again */
  constructor(
    private readonly runtime: object,
    of: Source<T> | ((read: Read) => T),
    private readonly changed: () => void,
  ) {
    this.recipe = selectedRecipe(of);
    this.hold = holdOf(runtime, this.recipe);
  }

  /** The value now. Throws what the selector throws. */
  get(): T {
    // What the framework's state was when the function ran last is not known to a hold: each gets one of its own.
    if (this.recipe.of === INLINE) this.renew(holdOf(this.runtime, this.recipe));
    return this.hold.get();
  }

  /** The value with which a page hydrates. */
  beginning(): T {
    return this.hold.beginning();
  }

  /** Calls `changed` from now on. Not on a server, where nothing ends it. */
  follow(): void {
    this.stop ??= this.hold.subscribe(this.notify);
  }

  /** Ends that. */
  end(): void {
    this.stop?.();
    this.stop = undefined;
  }

  private renew(hold: Hold<T>): void {
    const { hold: old, stop: before } = this;
    this.hold = hold;
    this.isRenewing = true;
    try {
      if (before) this.stop = hold.subscribe(this.notify);
    } finally {
      this.isRenewing = false;
    }
    if (before) before();
    else old.release();
  }

  private readonly notify = (): void => {
    // A source that throws notifies at once. The framework is computing the value, and finds that out itself.
    if (!this.isRenewing) this.changed();
  };
}
