// A source as a component holds it. A component renders first and subscribes later, if ever: until then its hold keeps the
// selected value, however many components there are. What is held by a rendering that was thrown away is released when the
// engine collects the hold.
import { foreign, SELECTOR, SOURCE } from '../base/protocol.js';
import { beginningOf } from './beginning.js';
import type { Entry } from '../reading/entry.js';
import type { Reading } from '../reading/reading.js';
import { notASource } from '../base/errors.js';
import { INLINE, inlineRecipe, type Read, type Recipe, type Source } from '../model/source.js';
import { hostOf } from '../kernel/attachment.js';
import type { Extensible } from '../kernel/feature.js';

/**
 * A source as a component holds it, from its rendering on. It stands here and not in the runtime, so that an application
 * without a binding does not ship it.
 * @throws FLOE_CLOSED when the runtime is closed
 */
export function holdOf<T>(runtime: object, recipe: Recipe<T>): Hold<T> {
  const host = hostOf(runtime);
  host.open('read');
  return new Hold(host, recipe);
}

/**
 * The recipe of what a component selects: a source, or a function that reads sources.
 * @throws FLOE_NOT_A_SOURCE for anything else, functions that Floe made among them
 */
export function selectedRecipe<T>(of: Source<T> | ((read: Read) => T)): Recipe<T> {
  const recipe = (of as Partial<Source<T>> | null | undefined)?.[SOURCE];
  if (recipe) return recipe;
  if (typeof of !== 'function' || SELECTOR in of || 'definition' in of || 'made' in of)
    throw foreign(of) ?? notASource(of);
  return inlineRecipe(of);
}

/** Keeps one value cached. */
class Pin {
  private released = false;
  constructor(readonly entry: Entry) {
    entry.pins++;
  }
  release(): void {
    if (this.released) return;
    this.released = true;
    this.entry.pins--;
    this.entry.becameIdle();
  }
}

/**
 * The recipe of a function that is kept by its hold alone. The function may lead to the component, and so to the hold: the
 * states know their readers, and would keep both for good.
 */
function weakly<T>(recipe: Recipe<T>): Recipe<T> {
  if (recipe.of !== INLINE) return recipe;
  const fn = new WeakRef(recipe.args[0] as (read: Read) => T);
  return { ...recipe, args: [(read: Read) => fn.deref()?.(read)] };
}

const collected = new FinalizationRegistry<Pin>((pin) => pin.release());

/** Its members may be taken off it. */
export class Hold<T> {
  private pin: Pin | undefined;
  private subscribers = 0;
  private began: { readonly value: T } | undefined;

  private readonly reading: Reading;

  constructor(
    private readonly host: Extensible,
    private readonly recipe: Recipe<T>,
  ) {
    this.reading = host.views.screen.reading;
  }

  private get entry(): Entry {
    if (this.pin === undefined) {
      this.pin = new Pin(this.reading.entryFor(weakly(this.recipe)));
      // The values of selectors without arguments are never evicted.
      if (!this.pin.entry.stays) collected.register(this, this.pin, this.pin);
    }
    return this.pin.entry;
  }

  /** The value now; the same one until it changes. Throws what the selector throws. */
  readonly get = (): T => {
    this.host.open('read');
    return this.entry.get() as T;
  };

  /** The value while a page hydrates; the same one at each call. */
  readonly beginning = (): T =>
    (this.began ??= { value: beginningOf(this.host).value(this.recipe, this.get) as T }).value;

  /** Calls `notify` whenever `get` has another value, or another error. Returns a function that stops it. */
  readonly subscribe = (notify: () => void): (() => void) => {
    this.began = undefined;
    const stop = this.entry.watch(notify, { onError: notify, binding: true, holder: this });
    this.subscribers++;
    let stopped = false;
    return () => {
      if (stopped) return;
      stopped = true;
      stop();
      this.subscribers--;
      // Frameworks subscribe again at once where they check their own effects: the value should survive that.
      if (this.subscribers === 0) void Promise.resolve().then(() => this.release());
    };
  };

  /** Lets the value go, unless something subscribes. Asked again, it is derived again. */
  release(): void {
    const { pin } = this;
    if (this.subscribers > 0 || !pin) return;
    collected.unregister(pin);
    pin.release();
    this.pin = undefined;
  }
}
