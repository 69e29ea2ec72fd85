// The protocol of the tabs: every order of what three tabs do, hear and say, of closes and of crashes, to eight events; and
// the real code runs the same programs.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { longMode, runs } from '../support/runs.js';
import { quiet } from './tabs-browser.js';
import { harbour } from './tabs-harbour.js';
import { after, events, settled, threeTabs, type Event, type Rules, type World } from './tabs-model.js';

type Program = readonly Event[];

const notesIn = (program: Program): number => program.filter(([what]) => what === 'do').length;

/** What is wrong with a world in which everything has come to rest. */
function fault(world: World, program: Program, did: ReadonlyMap<string, number>, stored: readonly string[]): unknown {
  const there = [...world.tabs.entries()].filter(([, tab]) => tab);
  const orders = there.map(([, tab]) => tab!.order.notes);
  const [first] = orders;
  const must = new Set([...did].filter(([, tab]) => world.tabs[tab]).map(([note]) => note));
  for (const note of stored) must.add(note);
  if (orders.some((notes) => notes.join() !== first.join())) return ['they differ', orders, program];
  if (new Set(first).size !== first.length) return ['twice', first, program];
  if ([...must].some((note) => !first.includes(note))) return ['lost', first, [...must], program];
  if (world.stored.join() !== first.join()) return ['not stored', first, world.stored, program];
  return undefined;
}

interface Found {
  readonly programs: readonly Program[];
  readonly fault: unknown;
}

/** Every world that so many events lead to, each with the first program that leads there. */
function explore(most: number, rules: Rules): Found {
  interface Reached {
    readonly world: World;
    readonly program: Program;
    /** Which tab did what. */
    readonly did: ReadonlyMap<string, number>;
    /** Everything that ever was stored. */
    readonly stored: readonly string[];
  }
  const seen = new Set<string>();
  const programs: Program[] = [];
  let reached: Reached[] = [{ world: threeTabs(), program: [], did: new Map(), stored: [] }];
  for (let depth = 0; depth < most; depth++) {
    const next: Reached[] = [];
    for (const { world, program, did, stored } of reached)
      for (const event of events(world, notesIn(program))) {
        const note = `n${notesIn(program)}`;
        const then = after(world, event, note, rules);
        const key = JSON.stringify(then);
        if (seen.has(key)) continue;
        seen.add(key);
        const one: Reached = {
          world: then,
          program: [...program, event],
          did: event[0] === 'do' ? new Map([...did, [note, event[1]]]) : did,
          stored: [...new Set([...stored, ...then.stored])],
        };
        const wrong = fault(settled(then, rules), one.program, one.did, one.stored);
        if (wrong !== undefined) return { programs, fault: wrong };
        programs.push(one.program);
        next.push(one);
      }
    reached = next;
  }
  return { programs, fault: undefined };
}

async function run(program: Program): Promise<void> {
  const { net, texts, open, settle, serve, writers } = harbour({ writeAfter: Infinity, later: true });
  const tabs = [open()];
  await settle(tabs);
  tabs.push(open(), open());
  const [first, second, third] = tabs;
  await settle([first, third]);
  const reading = new Set([second]);
  const gone = new Set<number>();
  const did = new Map<string, number>();
  const acknowledged = new Set<string>();
  /** The storage answers all but those that still read. */
  const rest = async (): Promise<void> => {
    for (let idle = 0; idle < 3; idle++) {
      await quiet();
      for (const tab of tabs) if (!reading.has(tab) && serve(tab)) idle = -1;
    }
  };
  for (const [what, which = 0] of program) {
    const tab = tabs[which];
    if (what === 'grant') net.grant();
    else if (what === 'wait') for (const one of tabs) one.runOut(500);
    else if (what === 'store') {
      const leader = tabs.find(({ runtime }, i) => !gone.has(i) && runtime.persistence.tab === 'leading');
      const there = leader?.runtime.read(leader.stores[0].log).notes ?? [];
      void leader?.runtime.persistence.flush().then((ok) => {
        if (ok) for (const note of there) acknowledged.add(note);
      });
    } else if (gone.has(which)) continue;
    else if (what === 'do') {
      const note = `n${did.size}`;
      tab.runtime.dispatch(tab.stores[0].noted(note));
      did.set(note, which);
    } else if (what === 'deliver') net.deliver(which, 0);
    else if (what === 'read') reading.delete(tab);
    else {
      gone.add(which);
      if (what === 'crash') tab.crash();
      else void tab.runtime.close();
    }
    await rest();
  }
  await settle(tabs);
  const there = tabs.filter((_, i) => !gone.has(i));
  const flushed = there.map(({ runtime }) => runtime.persistence.flush());
  await settle(tabs);
  expect(await Promise.all(flushed)).toEqual(there.map(() => true));
  const states = there.map(({ runtime, stores }) => runtime.read(stores[0].log));
  const [{ count, notes }] = states;
  const must = [...did].filter(([note, tab]) => !gone.has(tab) || acknowledged.has(note)).map(([note]) => note);
  expect([states, count, new Set(notes).size, program]).toEqual([
    states.map(() => states[0]),
    notes.length,
    notes.length,
    program,
  ]);
  expect([must.filter((note) => !notes.includes(note)), program]).toEqual([[], program]);
  expect([...writers].filter((role) => role !== 'leading')).toEqual([]);
  expect(notes.length === 0 || texts.get('early')!.includes(JSON.stringify(notes))).toBe(true);
}

describe('the protocol of the tabs', () => {
  const most = longMode ? 8 : 6;
  const { programs, fault: found } = explore(most, { asksOthers: true });

  test('ends every order of events in one order of notes, with what lasting tabs did and what was stored', () => {
    expect(found).toBeUndefined();
    expect(programs.length).toBeGreaterThan(1000);
  });

  test('loses what only one tab has heard, where a new leader does not ask', () => {
    const { fault: lost } = explore(6, { asksOthers: false });
    expect((lost as readonly unknown[])[0]).toBe('lost');
  });

  test('the tabs do what the model does', async () => {
    const chosen = longMode ? programs : fc.sample(fc.constantFrom(...programs), runs(300));
    for (const program of chosen) await run(program);
  });
});
