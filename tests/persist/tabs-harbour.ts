// Tabs that note things in stores, on one storage, without a browser: what happens, and when, is said by the test.
import { createRuntime, store } from 'floe';
import { sharedTabs, storageIn, type StorageArea } from 'floe/persist';
import { simulatedClock, SimulatedTabs } from '../../simulator/world/tabs.js';
import { quiet } from './tabs-browser.js';

export const declare = (name: string) => {
  const log = store(name, { count: 0, notes: [] as string[] }).persisted();
  const noted = log.action('noted', (draft, note: string) => {
    draft.count++;
    draft.notes.push(note);
  });
  return { log, noted };
};
/** The first is there from the beginning; the others are added. */
export const STORES = ['early', 'late', 'rare'] as const;

/**
 * @param later the storage answers when it is served
 * @param writeAfter milliseconds in which changes are gathered
 */
export function harbour({ later = false, writeAfter = 0 } = {}) {
  const net = new SimulatedTabs(false);
  const texts = new Map<string, string>();
  const writers = new Set<string>();
  let [count, now] = [0, 0];
  const open = () => {
    const id = count++;
    const queue: (() => void)[] = [];
    const { clock, runOut, stop } = simulatedClock(() => ++now);
    const stores = STORES.map(declare);
    /** Done when it is served, in order. */
    const done = <T>(fn: () => T): T =>
      later ? (new Promise<T>((resolve) => queue.push(() => resolve(fn()))) as T) : fn();
    const write = (change: () => unknown): void => {
      writers.add(runtime.persistence.tab);
      return done(() => void change());
    };
    const area: StorageArea = {
      read: (key) => done(() => texts.get(key)),
      write: (key, text) => write(() => texts.set(key, text)),
      remove: (key) => write(() => texts.delete(key)),
      keys: () => done(() => [...texts.keys()]),
    };
    const problems: string[] = [];
    const runtime = createRuntime({
      stores: [stores[0].log],
      storage: storageIn(() => area, { writeAfter, tabs: sharedTabs(() => net.link(id)) }),
      clock,
      onProblem: ({ error }) => problems.push(String(error)),
    });
    const unsure: string[] = [];
    const joined = new Set([0]);
    const join = (which: number): void => {
      if (!joined.has(which)) runtime.add(stores[which].log);
      joined.add(which);
    };
    /** Gone without a word: neither its storage nor its clock answers any more. */
    const crash = (): void => {
      net.crash(id);
      queue.length = 0;
      stop();
    };
    return { id, runtime, stores, queue, problems, unsure, join, runOut, crash, hangs: false };
  };
  type Tab = ReturnType<typeof open>;
  const serve = ({ queue, hangs }: Tab): boolean => {
    if (hangs || queue.length === 0) return false;
    queue.shift()!();
    return true;
  };
  const settle = async (tabs: readonly Tab[]): Promise<void> => {
    // Some of what a tab does takes many turns of the queue of microtasks.
    for (let rounds = 0, idle = 0; idle < 5; rounds++) {
      if (rounds > 5000) throw new Error('the tabs never come to rest');
      await quiet();
      let busy = net.grant();
      for (const tab of tabs) {
        busy = net.deliver(tab.id, 0) || busy;
        busy = serve(tab) || busy;
      }
      if (!busy && idle === 4) for (const tab of tabs) busy = tab.runOut(500) || busy;
      idle = busy ? 0 : idle + 1;
    }
  };
  return { net, texts, writers, open, serve, settle };
}
