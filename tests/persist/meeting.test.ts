// Sessions that write to one place: what each accepted is stored, whoever was faster, and however a session ends.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store } from 'floe';
import { storageIn, type StorageArea } from 'floe/persist';
import { handClock } from 'floe/testing';
import { runs } from '../support/runs.js';
import { memory } from './tabs-browser.js';

const declare = () => {
  const log = store('log', { a: 0, b: 0 }).persisted();
  const set = log.action('set', (draft, [field, n]: readonly ['a' | 'b', number]) => void (draft[field] = n));
  return { log, set };
};

test('the persistence stores a failed write again by itself, and at once when the place can be reached again', async () => {
  const texts = new Map<string, string>();
  let isDown = true;
  let reachable = (): void => undefined;
  const area = memory(texts);
  const write = (key: string, text: string): void => {
    if (isDown) throw new Error('no network');
    area.write(key, text);
  };
  const backAgain = (retry: () => void): (() => void) => ((reachable = retry), () => undefined);
  const { log, set } = declare();
  const clock = handClock();
  const storage = storageIn(() => ({ ...area, write, backAgain }));
  const runtime = createRuntime({ stores: [log], clock, storage, onProblem: () => undefined });
  for (const isRecorded of [false, true]) {
    isDown = true;
    runtime.dispatch(set(['a', runtime.read(log).a + 1]));
    expect([await runtime.persistence.flush(), runtime.persistence.pending]).toEqual([false, ['log']]);
    isDown = false;
    if (isRecorded) reachable();
    await clock.advance(isRecorded ? 0 : 4000);
    expect([runtime.persistence.pending, texts.get('log')?.includes(`"a":${runtime.read(log).a}`)]).toEqual([[], true]);
  }
});

describe('a storage that hangs, or is full for one store', () => {
  const hanging = (what: 'read' | 'write') => {
    const texts = new Map<string, string>();
    const held: (() => void)[] = [];
    let hangs = true;
    const area = memory(texts);
    const hold =
      <A extends unknown[], T>(fn: (...args: A) => T) =>
      (...args: A): T =>
        (hangs
          ? new Promise<T>((resolve) => held.push(() => resolve(fn(...args))))
          : Promise.resolve(fn(...args))) as T;
    const own = declare();
    const clock = handClock();
    const codes: unknown[] = [];
    const runtime = createRuntime({
      stores: [own.log],
      clock,
      storage: storageIn(() => ({ ...area, [what]: hold(area[what] as (...args: never[]) => unknown) })),
      onProblem: ({ error }) => codes.push((error as { code?: string }).code),
    });
    const resume = async (): Promise<void> => {
      hangs = false;
      for (const go of held.splice(0)) go();
      for (let i = 0; i < 20; i++) await new Promise(setImmediate);
    };
    return { ...own, runtime, persistence: runtime.persistence, clock, codes, texts, resume };
  };

  test.each(['read', 'write'] as const)(
    'a %s without an answer is a problem after ten seconds, and nothing is lost',
    async (what) => {
      const { runtime, persistence, set, clock, codes, resume, log } = hanging(what);
      await new Promise(setImmediate);
      runtime.dispatch(set(['a', 1]));
      const asked = [persistence.flush(), persistence.forget(), persistence.rehydrate()];
      await clock.advance(9_999);
      expect(codes).toEqual([]);
      await clock.advance(1);
      expect([await Promise.all(asked), codes]).toEqual([[false, false, false], ['FLOE_STORAGE_HANGS']]);
      // Asked while it hangs: it has as long.
      const again = persistence.flush();
      await clock.advance(10_000);
      expect([await again, codes.length]).toEqual([false, 1]);
      await resume();
      runtime.dispatch(set(['b', 2]));
      expect([await persistence.flush(), runtime.read(log)]).toMatchObject([true, { b: 2 }]);
    },
  );

  test('close waits ten seconds for a storage that hangs', async () => {
    const { runtime, set, clock, codes } = hanging('write');
    await new Promise(setImmediate);
    runtime.dispatch(set(['a', 1]));
    let isOver = false;
    void runtime.close().then(() => (isOver = true));
    await clock.advance(9_999);
    expect(isOver).toBe(false);
    await clock.advance(1);
    expect([isOver, codes]).toEqual([true, ['FLOE_STORAGE_HANGS']]);
  });

  test('a store that never fits is reported once, and delays no other one', async () => {
    const texts = new Map<string, string>();
    const area = memory(texts);
    const { log, set } = declare();
    const big = store('big', { text: '' }).persisted();
    const grown = big.action('grown', (draft, text: string) => void (draft.text = text));
    const codes: unknown[] = [];
    const clock = handClock();
    const write = (key: string, text: string): void => {
      if (text.length > 5000) throw new Error('the quota is used up');
      area.write(key, text);
    };
    const runtime = createRuntime({
      stores: [big, log],
      clock,
      storage: storageIn(() => ({ ...area, write }), { writeAfter: 40 }),
      onProblem: ({ error }) => codes.push((error as { code?: string }).code),
    });
    for (let i = 1; i <= 50; i++) {
      runtime.dispatch(grown('x'.repeat(5000 + i)));
      runtime.dispatch(set(['a', i]));
      await clock.advance(40);
      expect(texts.get('log')).toContain(`"a":${i}`);
    }
    expect([codes, runtime.persistence.pending]).toEqual([['FLOE_STORAGE_FAILED'], ['big']]);
    runtime.dispatch(grown('small'));
    expect([await runtime.persistence.flush(), runtime.persistence.pending]).toEqual([true, []]);
    // Another failure is news again.
    runtime.dispatch(grown('x'.repeat(6000)));
    expect([await runtime.persistence.flush(), codes.length]).toEqual([false, 2]);
    await runtime.close();
  });
});

describe('pages that see a place a moment later', () => {
  /** As Web Storage: each page writes to its own view, and the views are brought together in one order. */
  const browser = () => {
    const base = new Map<string, string>();
    const views: { readonly texts: Map<string, string>; changed: (key: string) => void }[] = [];
    let mutations: { readonly by: number; readonly key: string; readonly text: string | undefined }[] = [];
    const put = (texts: Map<string, string>, key: string, text: string | undefined): void => {
      if (text === undefined) texts.delete(key);
      else texts.set(key, text);
    };
    const open = () => {
      const by = views.length;
      const view = { texts: new Map(base), changed: (_key: string): void => undefined };
      views.push(view);
      const change = (key: string, text?: string): void => {
        put(view.texts, key, text);
        mutations.push({ by, key, text });
      };
      const area: StorageArea = {
        read: (key) => view.texts.get(key),
        write: change,
        remove: (key) => change(key),
        keys: () => [...view.texts.keys()],
        watch: (changed) => ((view.changed = changed), () => undefined),
      };
      return area;
    };
    /** Brings the views together; each page hears of what the others wrote. */
    const meet = (): boolean => {
      const all = mutations;
      mutations = [];
      for (const { key, text } of all) put(base, key, text);
      for (const view of views) {
        view.texts.clear();
        for (const [key, text] of base) view.texts.set(key, text);
      }
      for (const { by, key } of all) for (const [i, view] of views.entries()) if (i !== by) view.changed(key);
      return all.length > 0;
    };
    return { base, open, meet };
  };
  const fields = ['a', 'b', 'c', 'd'] as const;

  test('two pages that wrote at the same moment join their changes, and report that', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(
          fc.oneof(
            { weight: 3, arbitrary: fc.record({ page: fc.nat(2), field: fc.nat(3) }) },
            { weight: 1, arbitrary: fc.constant('meet' as const) },
          ),
          { maxLength: 30 },
        ),
        fc.constantFrom(10, 2000),
        async (program, length) => {
          const { open, meet, base } = browser();
          const pages = [0, 1, 2].map(() => {
            const log = store('log', { a: 0, b: 0, c: 0, d: 0, pad: 'x'.repeat(length) }).persisted();
            const set = log.action('set', (draft, [field, n]: readonly ['a' | 'b' | 'c' | 'd', number]) => {
              draft[field] = n;
            });
            const codes: unknown[] = [];
            const area = open();
            const runtime = createRuntime({
              stores: [log],
              storage: storageIn(() => area, { writeAfter: 0 }),
              onProblem: ({ error }) => codes.push((error as { code?: string }).code),
            });
            return { log, set, runtime, codes };
          });
          const settle = async (): Promise<void> => {
            for (let i = 0; i < 50 && meet(); i++) await new Promise(setImmediate);
          };
          // Two of them have stored something, so that changes are additions, too.
          pages[0].runtime.dispatch(pages[0].set(['a', -1]));
          await settle();
          /** Who wrote a field, and what last. */
          const wrote = new Map<string, Map<number, number>>();
          for (const [n, one] of program.entries()) {
            if (one === 'meet') await settle();
            else {
              const [page, field] = [one.page, fields[one.field]];
              pages[page].runtime.dispatch(pages[page].set([field, n + 1]));
              wrote.set(field, (wrote.get(field) ?? new Map<number, number>()).set(page, n + 1));
            }
          }
          await settle();
          const { log } = pages[0];
          const last = createRuntime({ stores: [log], storage: storageIn(() => memory(base)) }).read(log);
          const isRecorded = pages.some(({ codes }) => codes.includes('FLOE_STORED_ELSEWHERE'));
          for (const [field, by] of wrote) {
            expect([...by.values()]).toContain(last[field as 'a']);
            if (by.size > 1) expect(isRecorded || Math.max(...by.values()) === last[field as 'a']).toBe(true);
          }
          for (const { codes } of pages) expect(codes.filter((code) => code !== 'FLOE_STORED_ELSEWHERE')).toEqual([]);
        },
      ),
      { numRuns: runs(200) },
    );
  });
});

test('onConflict decides where two sessions changed one place', async () => {
  const texts = new Map<string, string>();
  const open = () => {
    const places: unknown[] = [];
    const log = store('log', { n: 0, names: ['N1'], by: 'the tower' }).persisted({
      onConflict: ({ place: at, before, own, stored }) => {
        places.push([at, before, own, stored]);
        return typeof own === 'number' ? (own as number) + (stored as number) - (before as number) : own;
      },
    });
    const added = log.action('added', (draft, n: number) => void (draft.n += n));
    const named = log.action('named', (draft, by: string) => void (draft.by = by));
    const codes: unknown[] = [];
    const runtime = createRuntime({
      stores: [log],
      storage: storageIn(() => memory(texts)),
      onProblem: ({ error }) => codes.push((error as { code?: string }).code),
    });
    return { log, added, named, runtime, persistence: runtime.persistence, codes, places };
  };
  const [one, two] = [open(), open()];
  one.runtime.dispatch(one.added(3));
  await one.persistence.flush();
  two.runtime.dispatch(two.added(4));
  two.runtime.dispatch(two.named('Ruth Vane'));
  expect(await two.persistence.flush()).toBe(true);
  expect([two.runtime.read(two.log), two.places, two.codes]).toEqual([
    { n: 7, names: ['N1'], by: 'Ruth Vane' },
    [['/n', 0, 4, 3]],
    ['FLOE_STORED_ELSEWHERE'],
  ]);
  // Nothing was lost, so nothing is set aside.
  expect((await two.persistence.list()).map(({ kind }) => kind)).toEqual(['state']);
});
