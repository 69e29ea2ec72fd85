// Storms without a browser: tabs that join stores at different times, on areas that answer at different speeds or hang, and
// tabs that start while the leader changes. They end in one state, with everything that `flush()` acknowledged, once.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime } from 'floe';
import { storageIn } from 'floe/persist';
import { leastLength, longMode, runs } from '../support/runs.js';
import { quiet } from './tabs-browser.js';
import { declare, harbour, STORES } from './tabs-harbour.js';

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

async function play(program: readonly Op[], kind: Kind): Promise<void> {
  const { net, texts, writers, open, serve, settle } = harbour(kind);
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
      else if (one.op === 'wait') tab.runOut();
      else {
        if (one.op === 'crash') tab.crash();
        else void tab.runtime.close();
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
  for (const tab of tabs) tab.runOut();
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
      { numRuns: Math.min(runs(100), 3000) },
    );
  });
});
