// Tabs that share their state: any interleaving of what they do, of messages and of tabs that come and go ends in one state.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, type Optimistic } from 'floe';
import { storageIn } from 'floe/persist';
import { leastLength, longMode, runs } from '../support/runs.js';
import { browser, declare, memory, quiet, type Tab } from './tabs-browser.js';

const berth = fc.nat(2);
const flag = fc.constantFrom('blue', 'red');
const aDeed = fc.oneof(
  { weight: 3, arbitrary: fc.constant(['counted'] as const) },
  { weight: 3, arbitrary: fc.constant(['noted'] as const) },
  { weight: 1, arbitrary: fc.constant(['drafted'] as const) },
  { weight: 2, arbitrary: fc.constant(['posted'] as const) },
  { weight: 2, arbitrary: berth.map((id) => ['berthed', id] as const) },
  { weight: 1, arbitrary: berth.map((id) => ['left', id] as const) },
  { weight: 2, arbitrary: berth.map((id) => ['moved', id] as const) },
  { weight: 1, arbitrary: flag.map((name) => ['hoisted', name] as const) },
  { weight: 1, arbitrary: flag.map((name) => ['lowered', name] as const) },
  { weight: 1, arbitrary: fc.constant(['two'] as const) },
  { weight: 1, arbitrary: fc.constant(['relayed'] as const) },
  { weight: 1, arbitrary: fc.constant(['optimistic'] as const) },
  { weight: 2, arbitrary: fc.nat(9).map((which) => ['confirm', which] as const) },
  { weight: 1, arbitrary: fc.nat(9).map((which) => ['revert', which] as const) },
  { weight: 1, arbitrary: fc.constant(['lookBack'] as const) },
  { weight: 1, arbitrary: fc.constant(['return'] as const) },
);
const ENDS = ['close', 'close', 'crash', 'crash', 'reset'] as const;
const anOp = (ends: boolean) =>
  fc.oneof(
    { weight: 8, arbitrary: fc.record({ op: fc.constant('do' as const), tab: fc.nat(2), deed: aDeed }) },
    { weight: 12, arbitrary: fc.record({ op: fc.constant('deliver' as const), tab: fc.nat(2), which: fc.nat(3) }) },
    { weight: 1, arbitrary: fc.record({ op: fc.constant('grant' as const) }) },
    { weight: 1, arbitrary: fc.record({ op: fc.constant('flush' as const), tab: fc.nat(2) }) },
    {
      weight: ends ? 1 : 0,
      arbitrary: fc.record({
        op: fc.constantFrom(...ENDS),
        tab: fc.nat(2),
      }),
    },
  );

/** What was done and must be there in the end, once. */
interface Books {
  notes: string[];
  counts: number;
  last: number;
  readonly branches: boolean;
  /** A reset or a branch undid what was done: then there are no books to keep. */
  void: boolean;
}

/** Does one thing in a tab, and keeps the books of it. */
function perform(tab: Tab, deed: readonly [string, (number | string)?], books: Books): void {
  const { runtime, optimistic } = tab;
  const [what, which] = deed;
  const note = `${tab.id}.${books.last++}`;
  const isPast = runtime.trace.cursor !== runtime.trace.steps.at(-1)?.seq;
  if (what === 'lookBack') runtime.trace.back();
  if (what === 'return') runtime.trace.live();
  if (what === 'lookBack' || what === 'return') return;
  if (what === 'confirm' || what === 'revert') {
    if (optimistic.length === 0) return;
    const [handle] = optimistic.splice(Number(which) % optimistic.length, 1);
    if (what === 'confirm') handle.confirm();
    else {
      handle.revert();
      books.notes = books.notes.filter((one) => one !== (handle as Optimistic & { note: string }).note);
    }
    return;
  }
  if (what === 'optimistic') {
    const handle = tab.context().optimistic(tab.noted(note));
    optimistic.push(Object.assign(handle, { note }));
    books.notes.push(note);
    return;
  }
  if (isPast && !books.branches) return;
  books.void ||= isPast;
  if (what === 'noted') {
    runtime.dispatch(tab.noted(note));
    books.notes.push(note);
  } else if (what === 'posted') {
    const { draft } = runtime.read(tab.watch);
    runtime.dispatch(tab.posted());
    if (draft !== '') books.notes.push(draft);
  } else if (what === 'drafted') runtime.dispatch(tab.drafted(note + 'd'));
  else if (what === 'two') {
    runtime.atomic(() => {
      runtime.dispatch(tab.counted());
      runtime.dispatch(tab.noted(note));
    });
    books.counts++;
    books.notes.push(note);
  } else if (what === 'relayed') {
    runtime.atomic(() => {
      runtime.dispatch(tab.drafted(note));
      runtime.dispatch(tab.posted());
    });
    books.notes.push(note);
  } else {
    const maker = tab[what as 'counted'] as unknown as (given?: number | string) => ReturnType<Tab['counted']>;
    try {
      runtime.dispatch(maker(which));
    } catch (error) {
      if (what !== 'moved') throw error;
    }
    if (what === 'counted') books.counts++;
  }
}

type Op = ReturnType<typeof anOp> extends fc.Arbitrary<infer T> ? T : never;

async function play(program: readonly Op[], ends: boolean, later: boolean, wild = true) {
  const { net, texts, writers, open, shared, settle } = browser({ later, wild });
  const tabs = [open(), open(), open()];
  const all = [...tabs];
  const books: Books = { notes: [], counts: 0, last: 0, branches: ends, void: false };
  for (const one of program) {
    if (later && one.op === 'do') await Promise.resolve();
    else await quiet();
    if (one.op === 'grant') net.grant();
    else if (one.op === 'deliver') net.deliver(tabs[one.tab].id, one.which);
    else if (one.op === 'do') perform(tabs[one.tab], one.deed, books);
    else if (one.op === 'flush') void tabs[one.tab].runtime.persistence.flush();
    else if (one.op === 'reset') {
      tabs[one.tab].runtime.reset(tabs[one.tab].watch);
      books.void = true;
    } else {
      if (one.op === 'crash') net.crash(tabs[one.tab].id);
      else void tabs[one.tab].runtime.close();
      tabs[one.tab] = open();
      all.push(tabs[one.tab]);
    }
  }
  await quiet();
  for (const { runtime, optimistic } of tabs) {
    runtime.trace.live();
    for (const handle of optimistic) handle.confirm();
  }
  await settle();
  // What a reset made is stored with the next change.
  perform(tabs[0], ['counted'], books);
  await settle();
  const [first, ...others] = tabs.map(shared);
  for (const other of others) expect(other).toEqual(first);
  if (!ends) {
    expect(first.count).toBe(books.counts);
    expect(first.flags.counts ?? 0).toBe(books.counts);
    expect([...first.log].sort()).toEqual([...books.notes].sort());
    expect(tabs.reduce((sum, { runtime, own }) => sum + runtime.read(own).counts, 0)).toBe(books.counts);
  }
  expect(new Set(first.log).size).toBe(first.log.length);
  // What a tab did that is still there is still there, though others crashed.
  if (!wild && !books.void) {
    const lasting = books.notes.filter((note) => tabs.some(({ id }) => note.startsWith(`${id}.`)));
    expect(first.log.filter((note) => lasting.includes(note)).sort()).toEqual(lasting.sort());
  }
  const flushed = tabs[1].runtime.persistence.flush();
  await settle();
  expect(await flushed).toBe(true);
  expect([...writers]).toEqual(['leading']);
  const { watch, flags } = declare();
  const next = createRuntime({ stores: [watch, flags], storage: storageIn(() => ({ ...memory(texts) })) });
  const { draft: _none, ...kept } = next.read(watch);
  expect({ ...kept, flags: next.read(flags) }).toEqual(first);
  expect(tabs.flatMap(({ problems }) => problems).filter((code) => code !== 'FLOE_DROPPED')).toEqual([]);
}

describe('three tabs', () => {
  const length = { minLength: leastLength, maxLength: longMode ? 120 : 60, size: 'max' as const };
  test('every interleaving of the tabs’ actions ends in one state, with each action once', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(anOp(false), length), fc.boolean(), (program, later) => play(program, false, later)),
      { numRuns: runs(150) },
    );
  });
  test('every interleaving ends in one state where tabs come, go and crash', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(anOp(true), length), fc.boolean(), fc.boolean(), (program, later, wild) =>
        play(program, true, later, wild),
      ),
      { numRuns: runs(150) },
    );
  });
});
