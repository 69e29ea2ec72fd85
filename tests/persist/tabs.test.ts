// What a tab learns of others, what it leaves to the one that writes, and how that one is chosen.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, store, type PersistOptions } from 'floe';
import { sharedTabs, storageIn } from 'floe/persist';
import { browserLink } from '../../src/persist/tabs/link.js';
import { Election } from '../../src/persist/tabs/election.js';
import { SimulatedTabs } from '../../simulator/world/tabs.js';
import { browser, memory, quiet, type Tab } from './tabs-browser.js';

describe('a tab beside others', () => {
  const two = async (wild = false) => {
    const sea = browser({ wild });
    const leader = sea.open();
    await quiet();
    sea.net.grant();
    const other = sea.open();
    const tabs = [leader, other];
    await sea.settle();
    return { ...sea, leader, other, tabs };
  };

  test('an action of one tab is a step with its cause in each other tab', async () => {
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

  test('only the leader writes, and the other tabs ask it to store, to forget and to read again', async () => {
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

  test.each([
    ['answers', 0],
    ['hangs while the next begins', 40],
  ])('what only one tab heard of the one that led is not lost, where that tab %s', async (_, turns) => {
    const { net, open, settle, leader, other, shared } = await two(true);
    const third = open();
    await settle();
    leader.runtime.dispatch(leader.noted('heard by the third alone'));
    await quiet();
    net.deliver(third.id, 0);
    net.crash(leader.id);
    // It leads, and goes on, before it hears what the one before has done.
    net.grant();
    await quiet();
    for (let i = 0; i < turns; i++) other.runOut(500);
    other.runtime.dispatch(other.berthed(7));
    const late = open();
    await settle();
    expect(shared(other)).toMatchObject({ log: ['heard by the third alone'], berths: [{ id: 7 }] });
    for (const tab of [late, third]) expect(shared(tab)).toEqual(shared(other));
  });

  test('tabs do not wait forever for a leader that hangs', async () => {
    const { other, texts, net, settle } = await two();
    other.runtime.dispatch(other.noted('shown at once'));
    const stored = other.runtime.persistence.flush();
    await quiet();
    other.runOut();
    expect([await stored, other.problems]).toEqual([false, ['FLOE_STORAGE_FAILED']]);
    await settle();
    const again = other.runtime.persistence.flush();
    await settle();
    expect([await again, texts.get('watch')?.includes('shown at once'), net.deliver(other.id, 0)]).toEqual([
      true,
      true,
      false,
    ]);
  });

  test('a pending change and an action of another tab notify no watcher of equal values', async () => {
    const { leader, other, settle, net } = await two();
    other.runtime.dispatch(other.noted('pending'));
    await quiet();
    const [log, berths] = [other.runtime.read(other.watch).log, other.runtime.read(other.watch).berths];
    const notified: unknown[] = [];
    other.runtime.watch(
      other.watch.selector('shownLog', (state) => state.log),
      (now) => notified.push(now),
    );
    for (let i = 0; i < 1000; i++) leader.runtime.dispatch(leader.counted());
    // The leader does not hear the proposal yet.
    for (let i = 0; i < 1000; i++) net.deliver(other.id, 0);
    expect([other.runtime.read(other.watch).count, notified.length]).toEqual([1000, 0]);
    expect(other.runtime.read(other.watch).log).toBe(log);
    expect(other.runtime.read(other.watch).berths).toBe(berths);
    await settle();
    expect(leader.runtime.read(leader.watch).log).toEqual(['pending']);
  });

  test('every tab reports a problem of the leader', async () => {
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

  test('two leaders do not report a problem to each other for ever', async () => {
    const { net, tabs, leader, other, texts } = await two();
    net.grantTo(other.id);
    texts.set = () => {
      throw new Error('the disk is full');
    };
    leader.runtime.dispatch(leader.noted('a'));
    await leader.runtime.persistence.flush();
    for (let i = 0; i < 20; i++) for (const { id } of tabs) net.deliver(id, 0);
    expect([leader.problems, other.problems]).toEqual([['FLOE_STORAGE_FAILED'], []]);
  });

  test('tabs with other versions of a store do not share it', async () => {
    const net = new SimulatedTabs();
    const texts = new Map<string, string>();
    const open = (id: number, version: number, late: boolean) => {
      const text = store('text', { now: '' }).persisted({ version, ...(version > 1 && { upgrade: [(old) => old] }) });
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
        storage: storageIn(() => memory(texts), { writeAfter: Infinity, tabs: sharedTabs(() => net.link(id)) }),
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

  test('without Web Locks the oldest tab leads, and the next one when it is gone', () => {
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
    expect(led.slice(1)).toEqual(['b leads', 'b lost', 'a leads']);
    first.close();
    second.close();
    pass(10_000);
    expect(led.slice(4)).toEqual(['c leads']);
  });
});

test('where the browser gives no locks and lets nothing be stored, the tabs choose by messages', async () => {
  const nothing = (): never => {
    throw new DOMException('The operation is insecure.', 'SecurityError');
  };
  const globals = globalThis as Record<string, unknown>;
  const known = Object.getOwnPropertyDescriptor(globalThis, 'navigator');
  Object.defineProperty(globalThis, 'navigator', {
    configurable: true,
    value: { locks: { request: () => Promise.resolve().then(nothing), query: () => Promise.resolve().then(nothing) } },
  });
  globals.document = {};
  try {
    const watch = store('watch', { log: [] as string[] }).persisted();
    const noted = watch.action('noted', (draft, note: string) => void draft.log.push(note));
    const open = () =>
      createRuntime({
        stores: [watch],
        storage: storageIn(() => ({ read: nothing, write: nothing, remove: nothing, keys: nothing }), {
          tabs: sharedTabs((report) => browserLink('insecure', report)),
        }),
        onProblem: () => undefined,
      });
    const first = open();
    const roleOf = ({ persistence }: typeof first): unknown => persistence.tab;
    const until = async (isSo: () => boolean): Promise<void> => {
      while (!isSo()) await new Promise((resolve) => setTimeout(resolve, 20));
    };
    await until(() => roleOf(first) === 'leading');
    const second = open();
    await until(() => roleOf(second) === 'following');
    second.dispatch(noted('nowhere to be stored'));
    expect(await Promise.all([first, second].map(({ persistence }) => persistence.flush()))).toEqual([false, false]);
    // A tab that ends lets the other one lead.
    await first.close();
    await until(() => roleOf(second) === 'leading');
    await second.close();
  } finally {
    Reflect.deleteProperty(globals, 'document');
    if (known) Object.defineProperty(globalThis, 'navigator', known);
    else Reflect.deleteProperty(globals, 'navigator');
  }
});

describe('a store that the leader does not have', () => {
  interface Options {
    readonly version?: number;
    readonly check?: PersistOptions<{ n: number }>['check'];
  }
  const lateOf = (tab: Tab, { version = 1, check }: Options = {}) => {
    const upgrade = version > 1 && { upgrade: [(old: { n: number }) => ({ n: old.n * 10 })] };
    const late = store('late', { n: 0 }).persisted({ version, ...upgrade, ...(check && { check }) });
    const inc = late.action('inc', (draft) => {
      draft.n++;
    });
    return {
      join: () => tab.runtime.add(late),
      inc: () => void tab.runtime.dispatch(inc()),
      n: () => tab.runtime.read(late).n,
    };
  };
  const three = async (later = false) => {
    const sea = browser({ later });
    const tabs = [sea.open(), sea.open(), sea.open()];
    await sea.settle();
    const [, b, c] = tabs.map((tab) => lateOf(tab));
    // Both act before they know what the leader does with it.
    for (const one of [b, c]) {
      one.join();
      one.inc();
    }
    await sea.settle();
    const flush = async (): Promise<boolean> => {
      const flushed = tabs[1].runtime.persistence.flush();
      await sea.settle();
      return flushed;
    };
    return { ...sea, tabs, b, c, flush };
  };

  test('the leader orders and writes a store that only other tabs have', async () => {
    const { tabs, b, c, flush, net, settle, texts, writers } = await three();
    expect([b.n(), c.n(), await flush()]).toEqual([2, 2, true]);
    expect(texts.get('late')).toContain('"n":2');
    c.inc();
    await settle();
    net.crash(tabs[0].id);
    await settle();
    expect([b.n(), c.n(), await flush(), [...writers]]).toEqual([3, 3, true, ['leading']]);
    expect(texts.get('late')).toContain('"n":3');
    expect(tabs.flatMap(({ problems }) => problems)).toEqual([]);
  });

  test.each([false, true])('is there with its state when the leader gets it, asynchronous: %s', async (later) => {
    const { tabs, b, c, flush, settle, texts } = await three(later);
    const a = lateOf(tabs[0]);
    a.join();
    a.inc();
    await settle();
    b.inc();
    await settle();
    expect([a.n(), b.n(), c.n(), await flush()]).toEqual([4, 4, 4, true]);
    expect(texts.get('late')).toContain('"n":4');
  });

  test('a leader with a newer version upgrades the store and notifies the older tabs', async () => {
    const { tabs, flush, settle, texts } = await three();
    const a = lateOf(tabs[0], { version: 2 });
    a.join();
    expect(a.n()).toBe(20);
    a.inc();
    await settle();
    expect([await flush(), tabs.map(({ problems }) => problems)]).toEqual([
      true,
      [[], ['FLOE_TABS_DIFFER'], ['FLOE_TABS_DIFFER']],
    ]);
    expect(texts.get('late')).toMatch(/"version":2,"by":\["\w+",1\],"plain":true,"state":\{"n":21\}/);
  });

  test('tabs keep a store that a leader with an older version cannot use', async () => {
    const never: Options['check'] = {
      '~standard': { version: 1, vendor: 'harbour', validate: () => ({ issues: [{ message: 'no tide' }] }) },
    };
    const { tabs, b, settle, flush, texts } = await three();
    const a = lateOf(tabs[0], { check: never });
    a.join();
    a.inc();
    b.inc();
    await settle();
    expect([a.n(), b.n(), await flush(), tabs[0].problems]).toEqual([1, 3, true, ['FLOE_TABS_DIFFER']]);
    expect(texts.get('late')).toContain('"n":3');
  });
});
