// Different stores in different places: each store is kept in exactly one of them, also after it has moved.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, store } from 'floe';
import { memoryStorage, storageIn, type StorageArea } from 'floe/persist';
import { recording } from 'floe/trace';
import { memory } from './tabs-browser.js';

const declare = () => {
  const notes = store('notes', { text: '' }).persisted();
  const written = notes.action('written', (draft, text: string) => void (draft.text = text));
  const visits = store('visits', { n: 0 }).persisted();
  const counted = visits.action('counted', (draft) => {
    draft.n++;
  });
  return { notes, written, visits, counted };
};

/** A place that answers at once or later. */
const place = (texts: Map<string, string>, later: boolean) => {
  const area = memory(texts);
  const given = <T>(fn: () => T): T => (later ? (Promise.resolve().then(fn) as T) : fn());
  return storageIn(
    (): StorageArea => ({
      read: (key) => given(() => area.read(key)),
      write: (key, text) => given(() => area.write(key, text)),
      remove: (key) => given(() => area.remove(key)),
      keys: () => given(() => area.keys()),
    }),
    { writeAfter: 0 },
  );
};

describe.each([
  ['both answer at once', false, false],
  ['the second answers later', false, true],
  ['the first answers later', true, false],
])('two places; %s', (_, firstLater, secondLater) => {
  /** Where `visits` is kept. */
  const open = async (first: Map<string, string>, second: Map<string, string>, where: 'first' | 'second') => {
    const own = declare();
    const [one, two] = [place(first, firstLater), place(second, secondLater)];
    const codes: unknown[] = [];
    const runtime = createRuntime({
      stores: [own.notes, own.visits],
      storage:
        where === 'first'
          ? { default: one, stores: [[own.notes, two]] }
          : { default: one, stores: [[own.visits, two]] },
      onProblem: ({ error }) => codes.push((error as { code?: string }).code ?? error),
    });
    await runtime.ready;
    return { ...own, runtime, persistence: runtime.persistence, codes };
  };

  test('each store is kept where it belongs; one persistence answers for all', async () => {
    const [first, second] = [new Map<string, string>(), new Map<string, string>()];
    const one = await open(first, second, 'second');
    let reported = 0;
    one.persistence.watch(() => reported++);
    one.runtime.dispatch(one.written('shore power is out'));
    one.runtime.dispatch(one.counted());
    expect([await one.persistence.flush(), one.persistence.pending, reported > 0]).toEqual([true, [], true]);
    expect([[...first.keys()], [...second.keys()]]).toEqual([['notes'], ['visits']]);
    expect((await one.persistence.list()).map(({ store: name }) => name)).toEqual(['notes', 'visits']);
    expect(Object.keys(await one.persistence.texts())).toEqual(['notes', 'visits']);
    expect([await one.persistence.forget(one.notes), [...first.keys()], [...second.keys()]]).toEqual([
      true,
      [],
      ['visits'],
    ]);
    one.runtime.reset(one.visits);
    expect([await one.persistence.rehydrate(one.visits), one.runtime.read(one.visits).n]).toEqual([true, 1]);
    await one.runtime.close();
    expect([one.persistence.status, one.codes]).toEqual(['closed', []]);
  });

  test('a store that moves brings its state, and leaves nothing behind once that is stored', async () => {
    const [first, second] = [new Map<string, string>(), new Map<string, string>()];
    const before = await open(first, second, 'second');
    before.runtime.dispatch(before.counted());
    before.runtime.dispatch(before.written('kept'));
    await before.runtime.close();
    // `visits` moves to the first place, and `notes` to the second one.
    const after = await open(first, second, 'first');
    expect([after.runtime.read(after.visits).n, after.runtime.read(after.notes).text]).toEqual([1, 'kept']);
    expect(await after.persistence.flush()).toBe(true);
    expect([[...first.keys()], [...second.keys()]]).toEqual([['visits'], ['notes']]);
    after.runtime.dispatch(after.counted());
    await after.runtime.close();
    // And back: what was stored last counts.
    const back = await open(first, second, 'second');
    expect([back.runtime.read(back.visits).n, back.codes]).toEqual([2, []]);
    await back.runtime.close();
    expect([[...first.keys()], [...second.keys()]]).toEqual([['notes'], ['visits']]);
  });

  test('a copy that stayed behind is removed; of two texts the one in the present place counts', async () => {
    const [first, second] = [new Map<string, string>(), new Map<string, string>()];
    const one = await open(first, second, 'second');
    one.runtime.dispatch(one.counted());
    await one.runtime.close();
    // The session before ended between the write here and the removal there.
    const old = createRuntime({ stores: [one.visits], storage: memoryStorage(first) });
    expect(old.read(one.visits).n).toBe(0);
    old.dispatch(one.counted());
    old.dispatch(one.counted());
    const next = await open(first, second, 'second');
    expect(next.runtime.read(next.visits).n).toBe(1);
    await next.persistence.flush();
    await new Promise(setImmediate);
    expect([[...first.keys()], next.codes]).toEqual([[], []]);
  });

  test('where a move cannot be stored, the former copy stays', async () => {
    const [first, second] = [new Map<string, string>(), new Map<string, string>()];
    const before = await open(first, second, 'second');
    before.runtime.dispatch(before.counted());
    await before.runtime.close();
    first.set = () => {
      throw new Error('the disk is full');
    };
    const after = await open(first, second, 'first');
    expect([after.runtime.read(after.visits).n, await after.persistence.flush(), [...second.keys()]]).toEqual([
      1,
      false,
      ['visits'],
    ]);
    expect(after.codes).toEqual(['FLOE_STORAGE_FAILED']);
    await after.runtime.close();
  });
});

test('every place stores a branch that begins with a transaction that is rolled back', async () => {
  const [first, second] = [new Map<string, string>(), new Map<string, string>()];
  const { notes, written, visits, counted } = declare();
  const runtime = createRuntime({
    stores: [notes, visits],
    trace: recording(),
    storage: { default: memoryStorage(first), stores: [[visits, memoryStorage(second)]] },
  });
  const start = runtime.trace.cursor;
  runtime.dispatch(written('fog'));
  runtime.dispatch(counted());
  await runtime.persistence.flush();
  runtime.trace.seek(start);
  expect(() =>
    runtime.atomic(() => {
      // A fact that is rolled back is no step: none follows the branch.
      runtime.reset(visits);
      throw new Error('no');
    }),
  ).toThrow('no');
  await Promise.resolve();
  await runtime.persistence.flush();
  expect((await runtime.persistence.list()).map(({ state }) => state)).toEqual([
    runtime.read(notes),
    runtime.read(visits),
  ]);
  await runtime.close();
});

test('two storages of one place keep what is there', async () => {
  const texts = new Map<string, string>();
  const { visits, counted } = declare();
  const runtime = createRuntime({
    stores: [visits],
    storage: { default: memoryStorage(texts), stores: [[visits, memoryStorage(texts)]] },
  });
  runtime.dispatch(counted());
  expect([await runtime.persistence.flush(), [...texts.keys()]]).toEqual([true, ['visits']]);
});

test('what is no place, no pair or no kept store is refused', () => {
  const { visits } = declare();
  const bare = store('bare', { n: 0 });
  const usual = memoryStorage();
  const refused = (storage: unknown): unknown => {
    try {
      createRuntime({ stores: [visits], storage: storage as never });
    } catch (error) {
      return (error as Error).message;
    }
    return 'accepted';
  };
  expect(
    [
      { stores: [[visits, usual]] },
      { default: usual },
      { default: usual, stores: [[visits]] },
      { default: usual, stores: [[bare, usual]] },
      {
        default: usual,
        stores: [
          [visits, usual],
          [visits, usual],
        ],
      },
      { default: usual, store: [] },
    ].map(refused),
  ).toMatchInlineSnapshot(`
   [
     "createRuntime: storage: the option 'default' takes a storage, such as webStorage(...) from floe/persist; it keeps the stores that no pair names.",
     "createRuntime: storage: the option 'stores' takes pairs: [[visits, indexedDbStorage(...)]].",
     "createRuntime: storage: the option 'stores' takes pairs of a store and a storage; 'visits' has none.",
     "createRuntime: storage: the option 'stores' names 'bare', of which nothing is kept; call bare.persisted() first.",
     "createRuntime: storage: the option 'stores' names 'visits' twice; a store is kept in one place.",
     "createRuntime: storage has no option 'store'. Did you mean 'stores'? It takes 'default', 'stores'.",
   ]
  `);
});
