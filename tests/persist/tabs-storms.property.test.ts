// Storms without a browser: tabs that join stores at different times, on areas that answer at different speeds or hang, and
// tabs that start while the leader changes. They end in one state, with everything that `flush()` acknowledged, once.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store } from 'floe';
import { storageIn, type StorageArea } from 'floe/persist';
import { leastLength, longMode, runs } from '../support/runs.js';
import { SimulatedTabs } from './simulated-tabs.js';
import { quiet } from './tabs-browser.js';

const declare = (name: string) => {
  const log = store(name, { count: 0, notes: [] as string[] }).persisted();
  const noted = log.action('noted', (draft, note: string) => {
    draft.count++;
    draft.notes.push(note);
  });
  return { log, noted };
};
const STORES = ['early', 'late', 'rare'] as const;

type Op =
  | { readonly op: 'do'; readonly tab: number; readonly store: number }
  | { readonly op: 'join' | 'flush' | 'deliver' | 'serve'; readonly tab: number; readonly which: number }
  | { readonly op: 'close' | 'crash' | 'hang' | 'wait'; readonly tab: number }
  | { readonly op: 'grant'; readonly tab?: never }
  | { readonly op: 'open'; readonly tab?: never };

interface Kind {
  /** The storage answers later, when it is served. */
  readonly later?: boolean;
  readonly hang?: number;
  /** Tabs that go are not followed by others at once. */
  readonly gaps?: boolean;
}

const tabIndex = fc.nat(2);
const anOp = ({ later, hang = 0, gaps }: Kind): fc.Arbitrary<Op> => {
  const of = (weight: number, op: string, more: Record<string, fc.Arbitrary<unknown>> = {}) => ({
    weight,
    arbitrary: fc.record({ op: fc.constant(op), ...more }) as fc.Arbitrary<Op>,
  });
  return fc.oneof(
    of(8, 'do', { tab: tabIndex, store: fc.nat(2) }),
    of(2, 'join', { tab: tabIndex, which: fc.nat(2) }),
    of(3, 'flush', { tab: tabIndex, which: fc.constant(0) }),
    of(14, 'deliver', { tab: tabIndex, which: fc.nat(3) }),
    of(later ? 10 : 0, 'serve', { tab: tabIndex, which: fc.nat(2) }),
    of(2, 'grant'),
    of(1, 'close', { tab: tabIndex }),
    of(1, 'crash', { tab: tabIndex }),
    of(hang, 'hang', { tab: tabIndex }),
    of(hang, 'wait', { tab: tabIndex }),
    of(gaps ? 2 : 0, 'open'),
  );
};

function harbour(later: boolean) {
  const net = new SimulatedTabs(false);
  const texts = new Map<string, string>();
  const writers = new Set<string>();
  let [count, now] = [0, 0];
  const open = () => {
    const id = count++;
    const queue: (() => void)[] = [];
    const timers = new Set<{ readonly ms: number; readonly fn: () => void }>();
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
      storage: storageIn(() => area, { writeAfter: 0, tabs: () => net.link(id) }),
      clock: {
        now: () => ++now,
        after: (ms, fn) => {
          const timer = { ms, fn };
          timers.add(timer);
          return () => timers.delete(timer);
        },
      },
      onProblem: ({ error }) => problems.push(String(error)),
    });
    const unsure: string[] = [];
    const joined = new Set([0]);
    const join = (which: number): void => {
      if (!joined.has(which)) runtime.add(stores[which].log);
      joined.add(which);
    };
    /** The time comes for what waits so long. */
    const wait = (most = Infinity): boolean => {
      const due = [...timers].filter(({ ms }) => ms <= most);
      for (const timer of due) if (timers.delete(timer)) timer.fn();
      return due.length > 0;
    };
    return { id, runtime, stores, queue, timers, problems, unsure, join, wait, hangs: false };
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
      if (!busy && idle === 4) for (const tab of tabs) busy = tab.wait(500) || busy;
      idle = busy ? 0 : idle + 1;
    }
  };
  return { net, texts, writers, open, serve, settle };
}

async function play(program: readonly Op[], kind: Kind): Promise<void> {
  const { net, texts, writers, open, serve, settle } = harbour(kind.later === true);
  const tabs = [open(), open(), open()];
  const all = [...tabs];
  const acknowledged = new Set<string>();
  const gone = new Set<(typeof tabs)[number]>();
  let notes = 0;
  const flush = (tab: (typeof tabs)[number]): void => {
    const before = [...tab.unsure];
    void tab.runtime.persistence.flush().then((ok) => {
      if (ok) for (const note of before) acknowledged.add(note);
    });
  };
  for (const one of program) {
    await quiet();
    if (one.op === 'grant') net.grant();
    else if (one.op === 'open') {
      for (const [i, tab] of tabs.entries()) if (gone.has(tab)) all.push((tabs[i] = open()));
    } else {
      const tab = tabs[one.tab];
      if (gone.has(tab)) continue;
      if (one.op === 'do') {
        const note = `n${++notes}`;
        tab.join(one.store);
        tab.runtime.dispatch(tab.stores[one.store].noted(note));
        tab.unsure.push(note);
      } else if (one.op === 'join') tab.join(one.which);
      else if (one.op === 'flush') flush(tab);
      else if (one.op === 'deliver') net.deliver(tab.id, one.which);
      else if (one.op === 'serve') for (let i = 0; i <= one.which; i++) await quiet().then(() => serve(tab));
      else if (one.op === 'hang') tab.hangs = !tab.hangs;
      else if (one.op === 'wait') tab.wait();
      else {
        if (one.op === 'crash') {
          net.crash(tab.id);
          tab.queue.length = 0;
          tab.timers.clear();
        } else void tab.runtime.close();
        gone.add(tab);
        if (!kind.gaps) all.push((tabs[one.tab] = open()));
      }
    }
  }
  for (const tab of all) tab.hangs = false;
  for (const [i, tab] of tabs.entries()) if (gone.has(tab)) all.push((tabs[i] = open()));
  await settle(all);
  for (const tab of tabs) for (const which of STORES.keys()) tab.join(which);
  await settle(all);
  for (const tab of tabs) tab.wait();
  await settle(all);
  tabs.forEach(flush);
  const last = tabs[0].runtime.persistence.flush();
  await settle(all);
  expect(await last).toBe(true);
  const states = tabs.map(({ runtime, stores }) => stores.map(({ log }) => runtime.read(log)));
  for (const state of states) expect(state).toEqual(states[0]);
  const found = states[0].flatMap((one) => one.notes);
  expect(states[0].map(({ count }) => count)).toEqual(states[0].map((one) => one.notes.length));
  expect(new Set(found).size).toBe(found.length);
  expect([...acknowledged].filter((note) => !found.includes(note))).toEqual([]);
  // What a tab did that is still there is still there.
  const lasting = tabs.flatMap(({ unsure }) => unsure);
  expect(lasting.filter((note) => !found.includes(note))).toEqual([]);
  expect([...writers].filter((role) => role !== 'leading')).toEqual([]);
  const next = STORES.map(declare);
  const session = createRuntime({
    stores: next.map(({ log }) => log),
    storage: storageIn(() => ({
      read: (key) => texts.get(key),
      write: () => undefined,
      remove: () => undefined,
      keys: () => [...texts.keys()],
    })),
  });
  expect(next.map(({ log }) => session.read(log))).toEqual(states[0]);
}

describe('three tabs end in one state, with everything that was acknowledged, once', () => {
  const length = { minLength: leastLength, maxLength: longMode ? 100 : 50, size: 'max' as const };
  test.each<[string, Kind]>([
    ['where stores join at different times in each', {}],
    ['where the storage answers each at another speed', { later: true }],
    ['where the storage hangs in one that leads', { later: true, hang: 1 }],
    ['where one starts while the leader changes', { gaps: true, later: true }],
  ])('%s', async (_, kind) => {
    await fc.assert(
      fc.asyncProperty(fc.array(anOp(kind), length), (program) => play(program, kind)),
      { numRuns: runs(100) },
    );
  });
});
