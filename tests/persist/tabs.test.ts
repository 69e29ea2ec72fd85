// Tabs that share their state: any interleaving of what they do, of messages and of tabs that come and go ends in one state.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store, task, type Optimistic, type Problem, type TaskContext } from 'floe';
import { storageIn, type StorageArea } from 'floe/persist';
import { recording } from 'floe/trace';
import { leastLength, longMode, runs } from '../support/runs.js';
import { Election } from '../../src/persist/election.js';
import { SimulatedTabs } from './simulated-tabs.js';

const declare = () => {
  const watch = store('watch', {
    count: 0,
    log: [] as string[],
    berths: [] as { id: number; moves: number }[],
    at: new Date(0),
    draft: '',
  }).persisted({ except: ['draft'] });
  const counted = watch.action('counted', (draft) => {
    draft.count++;
  });
  const noted = watch.action('noted', (draft, text: string) => {
    draft.log.push(text);
  });
  const drafted = watch.action('drafted', (draft, text: string) => {
    draft.draft = text;
  });
  /** What it does depends on a part that each tab has for itself. */
  const posted = watch.action('posted', (draft) => {
    if (draft.draft !== '') draft.log.push(draft.draft);
    draft.draft = '';
  });
  const berthed = watch.action('berthed', (draft, id: number) => {
    draft.berths = [...draft.berths.filter((one) => one.id !== id), { id, moves: 0 }];
    draft.at = new Date(id);
  });
  const left = watch.action('left', (draft, id: number) => {
    draft.berths = draft.berths.filter((one) => one.id !== id);
  });
  /** Another tab may have removed it meanwhile. */
  const moved = watch.action('moved', (draft, id: number) => {
    const berth = draft.berths.find((one) => one.id === id);
    if (!berth) throw new Error(`berth ${id} is empty`);
    berth.moves++;
  });
  const flags = store('flags', {} as Record<string, number>).persisted();
  const hoisted = flags.action('hoisted', (draft, name: string) => {
    draft[name] = (draft[name] ?? 0) + 1;
  });
  const lowered = flags.action('lowered', (draft, name: string) => {
    delete draft[name];
  });
  flags.when(counted, (draft) => {
    draft.counts = (draft.counts ?? 0) + 1;
  });
  /** Of each tab alone. */
  const own = store('own', { counts: 0 });
  own.when(counted, (draft) => {
    draft.counts++;
  });
  let context: TaskContext | undefined;
  const atWork = task('atWork', (given) => {
    context = given;
    return new Promise<void>(() => undefined);
  });
  return {
    ...{ watch, counted, noted, drafted, posted, berthed, left, moved, flags, hoisted, lowered, own, atWork },
    context: () => context!,
  };
};

/** Lets everything run that waits for nothing else. */
const quiet = async (): Promise<void> => {
  for (let i = 0; i < 8; i++) await Promise.resolve();
};

/** A browser with some tabs on one storage. */
function browser({ later = false } = {}) {
  const net = new SimulatedTabs();
  const texts = new Map<string, string>();
  const writers = new Set<string>();
  let [count, now] = [0, 0];
  const open = () => {
    const id = count++;
    const declared = declare();
    const problems: string[] = [];
    const given = <T>(value: T): T => (later ? (Promise.resolve(value) as T) : value);
    const write = (change: () => unknown): void => {
      writers.add(tab.runtime.persistence.tab);
      change();
      return given(undefined);
    };
    const area: StorageArea = {
      read: (key) => given(texts.get(key)),
      write: (key, text) => write(() => texts.set(key, text)),
      remove: (key) => write(() => texts.delete(key)),
      keys: () => given([...texts.keys()]),
    };
    const runtime = createRuntime({
      stores: [declared.watch, declared.flags, declared.own],
      storage: storageIn(() => area, { writeAfter: Infinity, tabs: () => net.link(id) }),
      trace: recording(),
      clock: () => ++now,
      onProblem: ({ error }: Problem) => problems.push((error as { code?: string }).code ?? String(error)),
    });
    void runtime.run(declared.atWork());
    const optimistic: Optimistic[] = [];
    const tab = { id, runtime, problems, optimistic, ...declared, noted: declared.noted };
    return tab;
  };
  type Tab = ReturnType<typeof open>;
  const shared = ({ runtime, watch, flags }: Tab) => {
    const { draft: _own, ...kept } = runtime.read(watch);
    return { ...kept, flags: runtime.read(flags) };
  };
  /** Delivers everything until nobody has anything to say. */
  const settle = async (tabs: readonly Tab[]): Promise<void> => {
    for (let rounds = 0, busy = true; busy; rounds++) {
      if (rounds > 5000) throw new Error('the tabs never come to rest');
      await quiet();
      busy = net.grant();
      for (const { id } of tabs) busy = net.deliver(id, 0) || busy;
    }
  };
  return { net, texts, writers, open, shared, settle };
}
type Browser = ReturnType<typeof browser>;
type Tab = ReturnType<Browser['open']>;

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
  { weight: 1, arbitrary: fc.constant(['optimistic'] as const) },
  { weight: 2, arbitrary: fc.nat(9).map((which) => ['confirm', which] as const) },
  { weight: 1, arbitrary: fc.nat(9).map((which) => ['revert', which] as const) },
  { weight: 1, arbitrary: fc.constant(['lookBack'] as const) },
  { weight: 1, arbitrary: fc.constant(['return'] as const) },
);
const anOp = (ends: boolean) =>
  fc.oneof(
    { weight: 8, arbitrary: fc.record({ op: fc.constant('do' as const), tab: fc.nat(2), deed: aDeed }) },
    { weight: 12, arbitrary: fc.record({ op: fc.constant('deliver' as const), tab: fc.nat(2), which: fc.nat(3) }) },
    { weight: 1, arbitrary: fc.record({ op: fc.constant('grant' as const) }) },
    { weight: 1, arbitrary: fc.record({ op: fc.constant('flush' as const), tab: fc.nat(2) }) },
    {
      weight: ends ? 1 : 0,
      arbitrary: fc.record({
        op: fc.constantFrom('close' as const, 'crash' as const, 'reset' as const),
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
  // A branch takes back what was done since: then there are no books to keep.
  if (isPast && !books.branches) return;
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

async function play(program: readonly Op[], ends: boolean, later: boolean) {
  const { net, texts, writers, open, shared, settle } = browser({ later });
  const tabs = [open(), open(), open()];
  const all = [...tabs];
  const books: Books = { notes: [], counts: 0, last: 0, branches: ends };
  for (const one of program) {
    if (later && one.op === 'do') await Promise.resolve();
    else await quiet();
    if (one.op === 'grant') net.grant();
    else if (one.op === 'deliver') net.deliver(tabs[one.tab].id, one.which);
    else if (one.op === 'do') perform(tabs[one.tab], one.deed, books);
    else if (one.op === 'flush') void tabs[one.tab].runtime.persistence.flush();
    else if (one.op === 'reset') tabs[one.tab].runtime.reset(tabs[one.tab].watch);
    else {
      if (one.op === 'crash') net.crash(tabs[one.tab].id);
      else tabs[one.tab].runtime.close();
      tabs[one.tab] = open();
      all.push(tabs[one.tab]);
    }
  }
  await quiet();
  for (const { runtime, optimistic } of tabs) {
    runtime.trace.live();
    for (const handle of optimistic) handle.confirm();
  }
  await settle(tabs);
  // What a reset made is stored with the next change.
  perform(tabs[0], ['counted'], books);
  await settle(tabs);
  const [first, ...others] = tabs.map(shared);
  for (const other of others) expect(other).toEqual(first);
  if (!ends) {
    expect(first.count).toBe(books.counts);
    expect(first.flags.counts ?? 0).toBe(books.counts);
    expect([...first.log].sort()).toEqual([...books.notes].sort());
    expect(tabs.reduce((sum, { runtime, own }) => sum + runtime.read(own).counts, 0)).toBe(books.counts);
  }
  const flushed = tabs[1].runtime.persistence.flush();
  await settle(tabs);
  expect(await flushed).toBe(true);
  expect([...writers]).toEqual(['leading']);
  const { watch, flags } = declare();
  const next = createRuntime({ stores: [watch, flags], storage: storageIn(() => ({ ...memory(texts) })) });
  const { draft: _none, ...kept } = next.read(watch);
  expect({ ...kept, flags: next.read(flags) }).toEqual(first);
  expect(tabs.flatMap(({ problems }) => problems).filter((code) => code !== 'FLOE_DROPPED')).toEqual([]);
}

const memory = (texts: Map<string, string>): StorageArea => ({
  read: (key) => texts.get(key),
  write: (key, text) => void texts.set(key, text),
  remove: (key) => void texts.delete(key),
  keys: () => [...texts.keys()],
});

describe('three tabs', () => {
  const length = { minLength: leastLength, maxLength: longMode ? 120 : 60, size: 'max' as const };
  test('any interleaving of what they do ends in one state, with everything in it, once', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(anOp(false), length), fc.boolean(), (program, later) => play(program, false, later)),
      { numRuns: runs(150) },
    );
  });
  test('also where tabs come, go and crash', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(anOp(true), length), fc.boolean(), (program, later) => play(program, true, later)),
      { numRuns: runs(150) },
    );
  });
});

describe('a tab beside others', () => {
  const two = async () => {
    const sea = browser();
    const leader = sea.open();
    await quiet();
    sea.net.grant();
    const other = sea.open();
    const tabs = [leader, other];
    await sea.settle(tabs);
    return { ...sea, leader, other, tabs, settle: () => sea.settle(tabs) };
  };

  test('what it did is a step with its cause in each other, and keeps what is done elsewhere out of its own past', async () => {
    const { leader, other, settle } = await two();
    other.runtime.dispatch(other.noted('from the mole'));
    await settle();
    const step = leader.runtime.trace.steps.at(-1)!;
    expect([step.kind, step.fact, step.cause, step.stores]).toEqual([
      'fact',
      'fromTab',
      { by: 'tab', action: 'watch.noted' },
      ['watch'],
    ]);
    other.runtime.trace.back();
    leader.runtime.dispatch(leader.noted('from the tower'));
    await settle();
    expect(other.runtime.read(other.watch).log).toEqual([]);
    other.runtime.trace.live();
    expect(other.runtime.read(other.watch).log).toEqual(['from the mole', 'from the tower']);
  });

  test('only one writes; the others ask it to store, to forget and to read anew, also where it leaves before it answers', async () => {
    const { leader, other, texts, open, settle, net } = await two();
    other.runtime.dispatch(other.noted('kept'));
    const stored = other.runtime.persistence.flush();
    await settle();
    expect([await stored, texts.get('watch')?.includes('kept')]).toEqual([true, true]);
    const forgotten = other.runtime.persistence.forget();
    await settle();
    expect([await forgotten, [...texts.keys()]]).toEqual([true, []]);
    const third = open();
    await quiet();
    const again = third.runtime.persistence.flush();
    third.runtime.dispatch(third.noted('the last'));
    await quiet();
    net.crash(leader.id);
    for (let i = 0; i < 20; i++) {
      await quiet();
      net.grant();
      for (const { id } of [other, third]) net.deliver(id, 0);
    }
    expect([await again, other.runtime.persistence.tab, other.runtime.read(other.watch).log]).toEqual([
      true,
      'leading',
      ['kept', 'the last'],
    ]);
    expect(texts.get('watch')).toContain('the last');
  });

  test('what another did first may leave no place for what it did: that is dropped, and said', async () => {
    const { leader, other, settle } = await two();
    leader.runtime.dispatch(leader.berthed(1));
    await settle();
    leader.runtime.dispatch(leader.left(1));
    other.runtime.dispatch(other.moved(1));
    await settle();
    expect([other.problems, other.runtime.read(other.watch).berths]).toEqual([['FLOE_DROPPED'], []]);
  });

  test('what goes wrong where it is written is said in all', async () => {
    const { leader, other, texts, settle } = await two();
    leader.runtime.dispatch(leader.noted('a'));
    texts.set = () => {
      throw new Error('the disk is full');
    };
    const stored = other.runtime.persistence.flush();
    await settle();
    expect([await stored, other.problems, other.runtime.persistence.problems.length]).toEqual([
      false,
      ['FLOE_STORAGE_FAILED'],
      1,
    ]);
  });

  test('tabs with other versions of a store are not mixed; a store that only one has goes its own way until both have it', async () => {
    const net = new SimulatedTabs();
    const texts = new Map<string, string>();
    const open = (id: number, version: number, late: boolean) => {
      const text = store('text', { now: '' }).persisted({ version, upgrade: [(old) => old] });
      const set = text.action('set', (draft, now: string) => {
        draft.now = now;
      });
      const tide = store('tide', { metres: 0, by: '' }).persisted();
      const measured = tide.action('measured', (draft, metres: number) => {
        draft.metres = metres;
      });
      const problems: unknown[] = [];
      const runtime = createRuntime({
        stores: late ? [text] : [text, tide],
        storage: storageIn(() => memory(texts), { writeAfter: Infinity, tabs: () => net.link(id) }),
        onProblem: ({ error }) => problems.push((error as { code?: string }).code),
      });
      return { id, text, set, tide, measured, problems, runtime };
    };
    const [one, other] = [open(0, 1, true), open(1, 2, false)];
    const settle = async (): Promise<void> => {
      for (let i = 0; i < 30; i++) {
        await quiet();
        net.grant();
        net.deliver(0, 0);
        net.deliver(1, 0);
      }
    };
    await settle();
    one.runtime.dispatch(one.set('older'));
    other.runtime.dispatch(other.set('newer'));
    other.runtime.dispatch(other.measured(3));
    await settle();
    expect([one.runtime.read(one.text).now, other.runtime.read(other.text).now]).toEqual(['older', 'newer']);
    expect([one.problems, other.problems]).toEqual([[], ['FLOE_TABS_DIFFER']]);
    one.runtime.add(one.tide);
    await settle();
    expect(one.runtime.read(one.tide).metres).toBe(3);
    one.runtime.dispatch(one.measured(4));
    await settle();
    expect(other.runtime.read(other.tide).metres).toBe(4);
  });

  test('where the browser cannot choose, messages do: the oldest leads, and the next when it is gone', () => {
    let now = 0;
    let timers: { at: number; fn: () => void }[] = [];
    const channels = new Map<string, (message: unknown) => void>();
    const led: string[] = [];
    const open = (id: string) => {
      const election = new Election({
        id,
        send: (message) => {
          for (const [other, listener] of [...channels]) if (other !== id) listener(message);
        },
        listen: (listener) => channels.set(id, listener),
        close: () => channels.delete(id),
        after: (ms, fn) => {
          const timer = { at: now + ms, fn };
          timers.push(timer);
          return () => (timers = timers.filter((one) => one !== timer));
        },
      });
      election.lead(
        () => led.push(`${id} leads`),
        () => led.push(`${id} lost`),
      );
      return election;
    };
    const pass = (ms: number): void => {
      for (const end = now + ms; ;) {
        const next = timers.filter(({ at }) => at <= end).sort((a, b) => a.at - b.at)[0];
        now = next?.at ?? end;
        if (!next) return;
        timers = timers.filter((one) => one !== next);
        next.fn();
      }
    };
    const first = open('a');
    pass(1000);
    const second = open('b');
    open('c');
    pass(10_000);
    expect(led).toEqual(['a leads']);
    // Frozen: it hears nothing, and does not know.
    const listener = channels.get('a')!;
    channels.delete('a');
    pass(10_000);
    channels.set('a', listener);
    pass(10_000);
    expect(led.slice(1)).toEqual(['b leads', 'b lost']);
    first.close();
    second.close();
    pass(10_000);
    expect(led.slice(3)).toEqual(['c leads']);
  });
});
