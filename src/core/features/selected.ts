// What a component selects, for frameworks that themselves track what a function reads: signals, refs and runes.
import { sameData } from '../data/plain.js';
import { hostOf } from '../kernel/attachment.js';
import { INLINE, type Read, type Recipe, type Source } from '../model/source.js';
import { CLEAN } from '../reactive/graph.js';
import { probe } from '../reactive/probe.js';
import type { Entry, Invalidated } from '../reading/entry.js';
import { beginningOf } from './beginning.js';
import type { Extensible } from '../kernel/feature.js';
import { selectedRecipe } from './hold.js';

/**
 * A selection whose value a framework computes whenever it is invalid. A function that is written in a component may read the
 * framework's own state as well: it runs inside of `get`, so that the framework sees that.
 */
export class Selected<T> implements Invalidated {
  /** A function that is written in a component: it runs at each `get`. */
  readonly isInline: boolean;
  private readonly recipe: Recipe<T>;
  private readonly host: Extensible;
  /** There while it is followed. */
  private entry: Entry | undefined;
  private stop: (() => void) | undefined;
  /** The version of the value that the framework knows. */
  private version = 0;
  private last: T | undefined;

  /**
   * @param changed is called when the value may be another one; it must make the framework compute it again
   * @param derives the framework keeps the value of a function until that is invalid, and compares it itself
   */
  constructor(
    runtime: object,
    of: Source<T> | ((read: Read) => T),
    private readonly changed: () => void,
    private readonly derives: boolean,
  ) {
    this.recipe = selectedRecipe(of);
    this.isInline = this.recipe.of === INLINE;
    this.host = hostOf(runtime);
    this.host.open('read');
  }

  /** The value now. Throws what the selector throws. */
  get(): T {
    this.host.open('read');
    const { entry } = this;
    if (!entry) return this.once();
    const value = (this.isInline ? entry.rederive() : entry.get()) as T;
    if (this.version === 0) this.version = entry.version;
    return value;
  }

  /** Without being followed: nothing is kept for it. The same value as before where it is equal. */
  private once(): T {
    const entry = this.host.views.screen.reading.entryFor(this.recipe);
    try {
      const value = entry.get() as T;
      if (!this.isInline) return value;
      return (this.last = sameData(this.last, value) ? this.last! : value);
    } finally {
      entry.becameIdle();
    }
  }

  /** The value with which a page hydrates. */
  beginning(): T {
    return beginningOf(this.host).value(this.recipe, () => this.get()) as T;
  }

  get isFollowed(): boolean {
    return this.entry !== undefined;
  }

  /** The value may be another one than the framework knows, and it will be told: inside of a batch, for example. */
  get isInvalid(): boolean {
    return this.entry !== undefined && this.entry.state !== CLEAN;
  }

  /** Calls `changed` from now on, until `end`. Not on a server, where nothing ends it. */
  follow(): void {
    if (this.stop) return;
    this.version = 0;
    this.entry = this.host.views.screen.reading.entryFor(this.recipe);
    this.stop = this.entry.follow(this);
  }

  end(): void {
    this.stop?.();
    this.stop = this.entry = undefined;
  }

  invalidate(): void {
    const { entry } = this;
    if (!entry) return;
    if (!this.isInline || !this.derives) {
      try {
        // Of a function this is the value for what the framework shows now.
        entry.get();
      } catch {
        // It is thrown where the value is read.
      }
      if (entry.version === this.version) return;
      this.version = entry.version;
    }
    if (probe !== undefined) probe.notified(entry);
    this.changed();
  }
}
