// What a storage holds may end anywhere, and any byte of it may be another one: never a wrong state comes of it.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store } from 'floe';
import { memoryArea, storageIn, type StorageArea } from 'floe/persist';
import { longMode, runs } from '../support/runs.js';
import { begin } from './contract.js';

const declare = () => {
  const visits = store('visits', {
    list: Array.from({ length: 40 }, (_, i) => ({ id: i, phase: 'expected' })),
    note: '',
  });
  visits.persisted();
  const moved = visits.action('moved', (draft, [at, phase]: [number, string]) => {
    draft.list[at % draft.list.length].phase = phase;
  });
  const noted = visits.action('noted', (draft, note: string) => {
    draft.note = note;
  });
  const cut = visits.action('cut', (draft, length: number) => {
    draft.list.length = Math.min(draft.list.length, length);
  });
  return { visits, moved, noted, cut };
};

/** One text a key, to which more can be added. */
const appending = (texts: Map<string, string>): StorageArea => ({
  ...memoryArea(texts),
  append: (key, text) => void texts.set(key, (texts.get(key) ?? '') + text),
});

/** A session that writes, and every state that it was ever in. */
function session(texts: Map<string, string>, area: StorageArea, note = 'a first note') {
  const { visits, moved, noted, cut } = declare();
  const runtime = createRuntime({ stores: [visits], storage: storageIn(() => area, { writeAfter: 0 }) });
  const states = [JSON.stringify(runtime.read(visits))];
  for (const one of [
    noted(note),
    moved([3, 'alongside']),
    noted('é 🚢'),
    cut(38),
    moved([7, 'departed']),
    noted('"quoted"\n'),
  ]) {
    runtime.dispatch(one);
    states.push(JSON.stringify(runtime.read(visits)));
  }
  return { states, texts: new Map(texts) };
}

/** Opens damaged texts, and looks whether what comes of it was ever so, and whether anything was said. */
async function reopen(
  texts: Map<string, string>,
  area: (texts: Map<string, string>) => StorageArea,
  states: readonly string[],
  // The end of the last change is where a session may have ended as well.
  isWhole = false,
) {
  const own = declare();
  const { runtime, codes, persistence } = await begin(area(texts), [own.visits]);
  const state = JSON.stringify(runtime.read(own.visits));
  expect(states).toContain(state);
  const isLatest = state === states.at(-1);
  // Either nothing is missing, or it was said.
  if (!isLatest && !isWhole) expect(codes().length).toBeGreaterThan(0);
  const damaged = codes().includes('FLOE_STORED_DAMAGED');
  const asides = (await persistence.list()).filter(({ kind }) => kind === 'set aside');
  expect(asides.length).toBe(damaged ? 1 : 0);
  // The session continues with that state.
  runtime.dispatch(own.noted('after'));
  void runtime.close();
  const next = await begin(area(texts), [own.visits]);
  expect(next.runtime.read(own.visits)).toEqual({ ...(JSON.parse(state) as object), note: 'after' });
  expect(next.codes()).toEqual([]);
}

describe.each([
  ['one text a store', appending],
  ['a page a change', memoryArea],
])('%s', (_name, area: (texts: Map<string, string>) => StorageArea) => {
  const written = new Map<string, string>();
  const { states, texts } = session(written, area(written));

  test('a log that is cut anywhere opens with a state that was stored', async () => {
    for (const [key, text] of texts)
      for (let length = 0; length < text.length; length += length < 40 ? 1 : longMode ? 17 : 97)
        await reopen(new Map([...texts, [key, text.slice(0, length)]]), area, states, text[length - 1] === '\n');
  });

  test('a log with a changed character opens with a state that was stored, and the rest is set aside', async () => {
    for (const [key, text] of texts) {
      for (let at = 0; at < text.length; at += at < 60 || at > text.length - 40 ? 1 : longMode ? 17 : 97) {
        const flipped = String.fromCharCode(text.charCodeAt(at) ^ (1 << (at % 7)));
        await reopen(new Map([...texts, [key, text.slice(0, at) + flipped + text.slice(at + 1)]]), area, states);
      }
    }
  });

  test('a log with missing, doubled or old keys opens with a state that was stored', async () => {
    const keys = [...texts.keys()];
    for (const key of keys.filter((one) => one !== 'visits')) {
      const without = new Map(texts);
      without.delete(key);
      await reopen(without, area, states, key === keys.at(-1));
    }
    // What was written before comes back, under pages of later changes.
    const early = new Map<string, string>();
    const first = session(early, area(early), 'a day before');
    await reopen(new Map([...texts, ['visits', first.texts.get('visits')!]]), area, [...states, ...first.states], true);
  });
});

test('a session opens with the state that was stored last, after any program of changes, failures and ends', async () => {
  const step = fc.oneof(
    fc.record({ kind: fc.constant('move' as const), at: fc.nat(39), to: fc.string({ maxLength: 12 }) }),
    fc.record({ kind: fc.constant('note' as const), to: fc.string({ maxLength: 80 }) }),
    fc.record({
      kind: fc.constantFrom('flush' as const, 'reopen' as const, 'forget' as const, 'reset' as const, 'fail' as const),
    }),
  );
  await fc.assert(
    fc.asyncProperty(fc.array(step, { maxLength: 60, size: 'max' }), fc.boolean(), async (program, pages) => {
      const texts = new Map<string, string>();
      let failing = 0;
      const open = (): StorageArea => {
        const inner: StorageArea = pages ? memoryArea(texts) : appending(texts);
        const trying = (write: () => void): void => {
          if (failing > 0 && failing-- > 0) throw new Error('no room');
          write();
        };
        return {
          ...inner,
          write: (key: string, text: string) => trying(() => void inner.write(key, text)),
          ...(inner.append && {
            // Half of it may stand there.
            append(key: string, text: string) {
              if (failing > 0) void inner.append!(key, text.slice(0, 20));
              trying(() => void inner.append!(key, text));
            },
          }),
        };
      };
      let { visits, moved, noted } = declare();
      const initial = JSON.stringify(createRuntime().read(visits));
      let session = await begin(open(), [visits], { writeAfter: Infinity });
      let stored = initial;
      let pending = false;
      const state = (): string => JSON.stringify(session.runtime.read(visits));
      for (const one of program) {
        if (one.kind === 'move') pending = session.runtime.dispatch(moved([one.at, one.to])) === 'applied' || pending;
        else if (one.kind === 'note') pending = session.runtime.dispatch(noted(one.to)) === 'applied' || pending;
        else if (one.kind === 'reset') session.runtime.reset(visits);
        else if (one.kind === 'fail') failing = 2;
        else if (one.kind === 'forget') {
          await session.persistence.forget();
          [stored, pending] = [initial, false];
        } else {
          const done = await session.persistence.flush();
          // What a reset made is stored with the next change.
          if (done && pending) [stored, pending] = [state(), false];
          if (one.kind === 'flush') continue;
          ({ visits, moved, noted } = declare());
          session = await begin(open(), [visits], { writeAfter: Infinity });
          // What could not be stored is gone; what was stored is there.
          expect(state()).toBe(stored);
          // What was cut short is written again, and a reset with it.
          pending = session.codes().includes('FLOE_STORED_CUT_SHORT');
        }
      }
    }),
    { numRuns: runs(150) },
  );
});
