// A page that counts in a store which other pages write, too.
import { createRuntime, store } from 'floe';
import { indexedDbStorage, webStorage } from 'floe/persist';

const pilots = store('pilots', { north: 0, south: 0 }).persisted();
const counted = pilots.action('counted', (draft, entrance: 'north' | 'south') => {
  draft[entrance]++;
});
const problems: string[] = [];

const runtime = createRuntime({
  stores: [pilots],
  storage:
    location.hash === '#local' ? webStorage('local', { prefix: 'pilots' }) : indexedDbStorage({ name: 'pilots' }),
  onProblem: ({ error }) => problems.push(String(error)),
});

export const writer = {
  /** One action, and its flush, at this moment. */
  async countAt(time: number, entrance: 'north' | 'south'): Promise<boolean> {
    while (Date.now() < time);
    runtime.dispatch(counted(entrance));
    return runtime.persistence.flush();
  },
  pilots: () => runtime.read(pilots),
  flush: (): Promise<boolean> => runtime.persistence.flush(),
  ready: (): Promise<void> => runtime.ready,
  problems: (): readonly string[] => problems,
};
export type Writer = typeof writer;
Object.assign(globalThis, { writer });
