// The states that the stores of a runtime began with, before anything stored or dispatched: what a page shows while it
// hydrates, since that is what the server rendered.
import { sameData } from '../data/plain.js';
import type { Ground } from '../reading/entry.js';
import { Reading } from '../reading/reading.js';
import type { Extensible } from '../kernel/feature.js';
import type { Recipe } from '../model/source.js';
import { TrackedPlace } from '../reactive/tracking.js';

class InitialReading {
  private readonly reading: Reading;

  constructor(private readonly host: Extensible) {
    const states: unknown[] = [];
    const places: TrackedPlace[] = [];
    const ground: Ground = {
      cell: (store) => {
        const cell = host.joining.cell(store);
        states[cell.index] = cell.begun;
        places[cell.index] ??= new TrackedPlace(undefined, store.name);
        return cell;
      },
      asWatcher: (fn) => fn(),
      problem: (error) => host.problem(error),
      thrown: (error) => host.problem(error),
    };
    // These states never change: nothing becomes due.
    this.reading = new Reading(ground, {
      states,
      places,
      due: { add: () => undefined, addInvalidated: () => undefined },
    });
  }

  /** The value of a source in these states; the present one where it is equal, so that nothing renders twice for it. */
  value(recipe: Recipe<unknown>, present: () => unknown): unknown {
    let isOld = false;
    for (const cell of this.host.cells.values()) isOld ||= this.host.views.stateOf(cell) !== cell.begun;
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

const beginnings = new WeakMap<Extensible, InitialReading>();

/** The beginning of a runtime; made when it is first asked for. */
export function beginningOf(host: Extensible): InitialReading {
  let found = beginnings.get(host);
  if (!found) beginnings.set(host, (found = new InitialReading(host)));
  return found;
}
