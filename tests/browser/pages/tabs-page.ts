// A tab of a browser, for the storms: it notes what it is told to, and says what it has.
import { createRuntime, store } from 'floe';
import { indexedDbStorage, sharedTabs, webStorage } from 'floe/persist';

const declare = (name: string) => {
  const log = store(name, { count: 0, notes: [] as string[] }).persisted();
  const noted = log.action('noted', (draft, note: string) => {
    draft.count++;
    draft.notes.push(note);
  });
  return { log, noted };
};
const early = declare('early');
const late = declare('late');
const pilots = store('pilots', { north: 0, south: 0 }).persisted();
const counted = pilots.action('counted', (draft, entrance: 'north' | 'south') => {
  draft[entrance]++;
});
const problems: string[] = [];
const [kind, shared] = location.hash.slice(1).split('-');
const options = shared === 'alone' ? {} : { tabs: sharedTabs() };

const runtime = createRuntime({
  stores: [early.log, pilots],
  storage:
    kind === 'local'
      ? webStorage('local', { prefix: 'storm', ...options })
      : indexedDbStorage({ name: 'storm', ...options }),
  onProblem: ({ error }) => problems.push(String(error)),
});

export const tab = {
  /** Several actions in a row, some of them in a store that joins with its first one. */
  act(notes: readonly string[], inLate: boolean): void {
    const { noted } = inLate ? late : early;
    if (inLate) runtime.add(late.log);
    for (const note of notes) runtime.dispatch(noted(note));
  },
  /** One action, and its flush, at this moment. */
  async countAt(time: number, entrance: 'north' | 'south'): Promise<boolean> {
    while (Date.now() < time);
    runtime.dispatch(counted(entrance));
    return runtime.persistence.flush();
  },
  pilots: () => runtime.read(pilots),
  flush: (): Promise<boolean> => runtime.persistence.flush(),
  state: () => ({ early: runtime.read(early.log), late: runtime.read(late.log) }),
  join: (): void => runtime.add(late.log),
  ready: (): Promise<void> => runtime.ready,
  role: (): string => runtime.persistence.tab,
  problems: (): readonly string[] => problems,
};
export type Tab = typeof tab;
Object.assign(globalThis, { tab, scenarios: true });
