// The states that the stores of a runtime began with, before anything stored or dispatched: what a page shows while it
// hydrates, since that is what the server rendered.
import { sameData } from './plain.js';
import { Reading, type Ground } from './reading.js';
import type { Slot } from './slot.js';
import type { Recipe } from './source.js';
import type { StoreDefinition } from './store.js';
import { Place } from './tracking.js';

export interface BeginningHost {
  slot(store: StoreDefinition): Slot;
  readonly slots: ReadonlyMap<string, Slot>;
  problem(error: unknown): void;
}

class Beginning {
  private readonly places = new Map<Slot, Place>();
  private readonly reading: Reading;

  constructor(private readonly host: BeginningHost) {
    const ground: Ground = {
      slot: (store) => {
        const slot = host.slot(store);
        let place = this.places.get(slot);
        if (!place) this.places.set(slot, (place = new Place(undefined, store.name)));
        return { state: slot.begun, place };
      },
      // These states never change.
      schedule: () => undefined,
      asWatcher: (fn) => fn(),
      problem: (error) => host.problem(error),
      thrown: (error) => host.problem(error),
    };
    this.reading = new Reading(ground);
  }

  /** The value of a source in these states; the present one where it is equal, so that nothing renders twice for it. */
  value(recipe: Recipe<unknown>, present: () => unknown): unknown {
    let isOld = false;
    for (const slot of this.host.slots.values()) isOld ||= slot.state !== slot.begun;
    if (!isOld) return present();
    const entry = this.reading.entryFor(recipe);
    const value = entry.get();
    entry.becameIdle();
    let now: unknown;
    try {
      now = present();
    } catch {
      return value;
    }
    return sameData(now, value) ? now : value;
  }
}

const beginnings = new WeakMap<BeginningHost, Beginning>();

/** The beginning of a runtime; made when it is first asked for. */
export function beginningOf(host: BeginningHost): Beginning {
  let found = beginnings.get(host);
  if (!found) beginnings.set(host, (found = new Beginning(host)));
  return found;
}
