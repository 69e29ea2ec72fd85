// Sessions that write to one place: what each accepted is stored, whoever was faster, and however a session ends.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store } from 'floe';
import { entity, rowOf, tables } from 'floe/entities';
import { httpStorage, storageIn, type StorageArea } from 'floe/persist';
import { handClock } from 'floe/testing';
import { officeApp } from '../../examples/harbour/office/server.js';
import { runs } from '../support/runs.js';
import { memory } from './tabs-browser.js';

const declare = () => {
  const log = store('log', { a: 0, b: 0, inner: { c: 0, d: 0 } }).persisted();
  const set = log.action('set', (draft, [field, n]: readonly ['a' | 'b', number]) => void (draft[field] = n));
  const setInner = log.action(
    'setInner',
    (draft, [field, n]: readonly ['c' | 'd', number]) => void (draft.inner[field] = n),
  );
  return { log, set, setInner };
};

/** The same place, which answers at once or later. */
const place = (texts: Map<string, string>, later: boolean): StorageArea => {
  const area = memory(texts);
  if (!later) return area;
  const wait = async <T>(fn: () => T): Promise<T> => {
    await new Promise(setImmediate);
    return fn();
  };
  return {
    read: (key) => wait(() => area.read(key)) as Promise<string | undefined>,
    write: (key, text) => wait(() => area.write(key, text)) as Promise<void>,
    remove: (key) => wait(() => area.remove(key)) as Promise<void>,
    keys: () => wait(() => area.keys()) as Promise<readonly string[]>,
  };
};

describe.each([
  ['at once', false],
  ['later', true],
])('a place that answers %s', (_, later) => {
  const session = async (texts: Map<string, string>, more: Partial<StorageArea> = {}) => {
    const declared = declare();
    const codes: unknown[] = [];
    const clock = handClock();
    const runtime = createRuntime({
      stores: [declared.log],
      clock,
      storage: storageIn(() => ({ ...place(texts, later), ...more }), { writeAfter: 100 }),
      onProblem: ({ error }) => codes.push((error as { code?: string }).code ?? error),
    });
    await runtime.persistence.ready;
    return { runtime, clock, codes, ...declared };
  };
  const stored = (texts: Map<string, string>): unknown =>
    createRuntime({ stores: [], storage: storageIn(() => memory(texts)) }).persistence.list();

  test('the last change of a session is stored, though another one stored meanwhile: at its end, and when the page is hidden', async () => {
    for (const how of ['close', 'hidden'] as const) {
      const texts = new Map<string, string>();
      let hide = (): void => undefined;
      const hides = { beforeEnd: (flush: () => void) => ((hide = flush), () => undefined) };
      const [one, two] = [await session(texts), await session(texts, hides)];
      one.runtime.dispatch(one.set(['a', 1]));
      two.runtime.dispatch(two.set(['b', 2]));
      expect(await one.runtime.persistence.flush()).toBe(true);
      if (how === 'close') await two.runtime.close();
      else {
        hide();
        // A page that was hidden may never run again; what takes time is on its way.
        if (later) for (let i = 0; i < 20; i++) await new Promise(setImmediate);
      }
      expect(await stored(texts)).toMatchObject([{ store: 'log', state: { a: 1, b: 2 } }]);
    }
  });

  test('a flush that had to join says true, and what is done right after is stored as well', async () => {
    const texts = new Map<string, string>();
    const [one, two] = [await session(texts), await session(texts)];
    one.runtime.dispatch(one.setInner(['c', 1]));
    await one.runtime.persistence.flush();
    two.runtime.dispatch(two.setInner(['d', 2]));
    const flushed = two.runtime.persistence.flush();
    two.runtime.dispatch(two.set(['b', 3]));
    expect([await flushed, await two.runtime.persistence.flush(), two.codes]).toEqual([
      true,
      true,
      ['FLOE_STORED_ELSEWHERE'],
    ]);
    expect(two.runtime.read(two.log)).toEqual({ a: 0, b: 3, inner: { c: 1, d: 2 } });
    expect(await stored(texts)).toMatchObject([{ state: { a: 0, b: 3, inner: { c: 1, d: 2 } } }]);
    two.runtime.dispatch(two.set(['b', 4]));
    const end = two.runtime.close();
    await end;
    expect(await stored(texts)).toMatchObject([{ state: { b: 4 } }]);
  });

  test('a change that is made while the storage forgets is a change after it', async () => {
    const texts = new Map<string, string>();
    const { runtime, set } = await session(texts);
    runtime.dispatch(set(['a', 1]));
    await runtime.persistence.flush();
    const forgotten = runtime.persistence.forget();
    runtime.dispatch(set(['a', 2]));
    expect([await forgotten, await runtime.persistence.flush()]).toEqual([true, true]);
    expect(await stored(texts)).toMatchObject([{ state: { a: 2 } }]);
  });

  test('what could not be stored is tried again by itself, and at once when the place is back', async () => {
    const texts = new Map<string, string>();
    let isDown = true;
    let back = (): void => undefined;
    const area = place(texts, later);
    const { runtime, set, clock, codes } = await session(texts, {
      write: (key, text) => {
        if (isDown) throw new Error('no network');
        return area.write(key, text);
      },
      backAgain: (retry) => ((back = retry), () => undefined),
    });
    runtime.dispatch(set(['a', 1]));
    expect([await runtime.persistence.flush(), runtime.persistence.pending]).toEqual([false, ['log']]);
    await clock.advance(3500);
    expect([codes, texts.size]).toEqual([['FLOE_STORAGE_FAILED'], 0]);
    isDown = false;
    await clock.advance(4000);
    for (let i = 0; i < 20; i++) await new Promise(setImmediate);
    expect([runtime.persistence.pending, texts.size]).toEqual([[], 1]);
    isDown = true;
    runtime.dispatch(set(['a', 2]));
    await runtime.persistence.flush();
    isDown = false;
    back();
    for (let i = 0; i < 20; i++) await new Promise(setImmediate);
    expect([runtime.persistence.pending, await stored(texts)]).toMatchObject([[], [{ state: { a: 2 } }]]);
  });
});

describe('two devices at one office', () => {
  const berth = entity('berth', rowOf<{ id: string; quay: string; depth: number }>(), { key: 'id' });
  interface Held {
    readonly request: Request;
    go(): Promise<void>;
  }
  /** The office lets each request in, and its answer out, when the program says so. */
  const office = () => {
    const app = officeApp({ thinking: 0 });
    const held: Held[] = [];
    const fetchHeld = (input: RequestInfo | URL, init?: RequestInit): Promise<Response> =>
      new Promise((resolve) => {
        const request = new Request(input as string, { ...init, signal: null });
        held.push({ request, go: async () => resolve(await app.fetch(request)) });
      });
    const open = () => {
      const port = tables('port', [berth]);
      port.persisted();
      const edited = port.action('edited', (draft, [id, field, n]: readonly [string, 'quay' | 'depth', number]) => {
        const row = draft.berth.get(id)!;
        if (field === 'depth') row.depth = n;
        else row.quay = `quay ${n}`;
      });
      const codes: unknown[] = [];
      const runtime = createRuntime({
        stores: [port],
        clock: handClock(),
        storage: httpStorage({
          url: 'http://localhost/office/kept/desk',
          writeAfter: 0,
          fetch: fetchHeld as typeof fetch,
        }),
        onProblem: ({ error }) => codes.push((error as { code?: string }).code ?? error),
      });
      return { port, edited, runtime, codes };
    };
    const settle = async (): Promise<void> => {
      for (let quiet = 0; quiet < 3;) {
        await new Promise(setImmediate);
        const next = held.shift();
        if (next) await next.go();
        quiet = next ? 0 : quiet + 1;
      }
    };
    return { held, open, settle };
  };
  const ids = ['N1', 'N2', 'N3'];
  const edit = fc.tuple(fc.nat(1), fc.constantFrom(...ids), fc.constantFrom('quay' as const, 'depth' as const));

  test('no interleaving of their requests loses an edit that was stored, or overwrites one unsaid', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.oneof({ weight: 2, arbitrary: edit }, { weight: 3, arbitrary: fc.nat(5) }), { maxLength: 25 }),
        async (program) => {
          const { held, open, settle } = office();
          const first = open();
          first.runtime.dispatch(
            first.port.put(
              berth,
              ids.map((id) => ({ id, quay: '', depth: 0 })),
            ),
          );
          await settle();
          const second = open();
          await settle();
          const devices = [first, second];
          /** By row and field: who wrote what last. */
          const wrote = new Map<string, Map<number, number>>();
          let n = 0;
          for (const one of program) {
            if (typeof one === 'number') {
              const [next] = held.splice(one % (held.length || 1), 1);
              await (next as Held | undefined)?.go();
              for (let i = 0; i < 3; i++) await new Promise(setImmediate);
              continue;
            }
            const [device, id, field] = one;
            devices[device].runtime.dispatch(devices[device].edited([id, field, ++n]));
            const key = `${id} ${field}`;
            wrote.set(key, (wrote.get(key) ?? new Map<number, number>()).set(device, n));
          }
          const flushed = devices.map(({ runtime }) => runtime.persistence.flush());
          await settle();
          expect(await Promise.all(flushed)).toEqual([true, true]);
          const again = devices.map(({ runtime }) => runtime.persistence.rehydrate());
          await settle();
          await Promise.all(again);
          const [a, b] = devices.map(({ runtime, port }) => [...runtime.read(port).berth.values()]);
          expect(a).toEqual(b);
          const isTold = devices.some(({ codes }) => codes.includes('FLOE_STORED_ELSEWHERE'));
          for (const [key, by] of wrote) {
            const [id, field] = key.split(' ') as [string, 'quay' | 'depth'];
            const value = a.find((row) => row.id === id)![field];
            const found = typeof value === 'number' ? value : Number(value.slice(5));
            // The last edit of one of the devices that edited this field; where both did, somebody was told.
            expect([...by.values()]).toContain(found);
            if (by.size > 1) expect(isTold).toBe(true);
          }
          for (const { codes } of devices) expect(codes.filter((code) => code !== 'FLOE_STORED_ELSEWHERE')).toEqual([]);
        },
      ),
      { numRuns: runs(60) },
    );
  });
});
