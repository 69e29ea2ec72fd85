// How often what was tried, and what became of it.
import type { StoreDefinition } from '../../core/internal.js';
import type { Exploration, Tried } from './exploration.js';

type Tally = { -readonly [K in keyof Tried]: Tried[K] };

export class Tallies {
  private readonly byType = new Map<string, Tally>();

  /** @param type of an action, or the name of a task */
  for(type: string): Tally {
    let tally = this.byType.get(type);
    if (!tally) this.byType.set(type, (tally = { type, applied: 0, unchanged: 0, failed: 0, broke: 0 }));
    return tally;
  }

  of(stores: readonly StoreDefinition[]): Pick<Exploration, 'tried' | 'untried'> {
    const handled = new Set(stores.flatMap((store) => [...store.changes.keys()]));
    return { tried: [...this.byType.values()], untried: [...handled].filter((type) => !this.byType.has(type)) };
  }
}
