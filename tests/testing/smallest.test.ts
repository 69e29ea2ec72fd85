// Recordings that are made as small as they can be, against recordings of which is known what their failure needs.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { need, store, task } from 'floe';
import { smallest, testRuntime } from 'floe/testing';
import { readTrace, writeTest } from 'floe/trace';
import { codeOf } from '../support/failures.js';
import { longMode, runs } from '../support/runs.js';

const RULE = 'quay.not all marked';

/** Marks numbers; the rule breaks when all of some are marked, and none was cleared since. */
function declare(wanted: readonly number[]) {
  const quay = store('quay', { marked: [] as readonly number[], noise: 0 });
  const marked = quay.action('marked', (draft, { at }: { at: number; remark?: string; list?: readonly string[] }) => {
    draft.marked = [...draft.marked.filter((one) => one !== at), at];
  });
  const cleared = quay.action('cleared', (draft) => void (draft.marked = []));
  const noise = quay.action('noise', (draft, by: number) => void (draft.noise += by));
  quay.invariant('not all marked', (state) => !wanted.every((one) => state.marked.includes(one)));
  return { stores: [quay], quay, marked, cleared, noise };
}

test('what is left is what the failure needs, and nothing else', () => {
  fc.assert(
    fc.property(
      fc.uniqueArray(fc.nat(6), { minLength: 1, maxLength: 4 }),
      fc.array(fc.record({ at: fc.nat(8), batch: fc.nat(3) }), { minLength: 1, maxLength: 120 }),
      (wanted, does) => {
        const { stores, marked, cleared, noise } = declare(wanted);
        const runtime = testRuntime({ stores });
        const one = (at: number): void =>
          void runtime.dispatch(
            at === 7 ? cleared() : at === 8 ? noise(1) : marked({ at, remark: 'as said', list: ['a', 'b'] }),
          );
        for (const { at, batch } of does) {
          if (batch === 0)
            runtime.atomic(() => {
              one(8);
              one(at);
            });
          else one(at);
        }
        const file = runtime.trace.export();
        // Independent of Floe: the first moment at which all are marked.
        let now = new Set<number>();
        const hits = does.findIndex(({ at }) => {
          if (at === 7) now = new Set();
          else if (at !== 8) now.add(at);
          return wanted.every((mark) => now.has(mark));
        });
        if (hits < 0) {
          expect(codeOf(() => smallest(file, { stores, fails: { rule: RULE } }))).toBe('FLOE_NOTHING_FAILS');
          return;
        }
        const { steps } = smallest(file, { stores, fails: { rule: RULE } });
        const actions = steps.filter(({ kind }) => kind === 'action');
        const marks = actions.filter(({ action }) => action!.type === 'quay.marked');
        expect(marks.map(({ action }) => (action!.payload as { at: number }).at).sort()).toEqual([...wanted].sort());
        // Nothing is in a payload that is not needed; a transaction stays whole.
        for (const { action } of marks) expect(Object.keys(action!.payload as object)).toEqual(['at']);
        const groups = new Set(actions.flatMap(({ group }) => group ?? []));
        expect(actions.length - marks.length).toBe(groups.size);
      },
    ),
    { numRuns: runs(100) },
  );
});

describe('smallest', () => {
  test('finds the four of 10,000 steps that matter, and the test that it becomes fails', () => {
    const { stores, marked, noise } = declare([1, 2, 3, 4]);
    const runtime = testRuntime({ stores });
    const count = longMode ? 10_000 : 2000;
    for (let i = 0; i < count; i++)
      runtime.dispatch(i % (count / 4) === 7 ? marked({ at: Math.floor(i / (count / 4)) + 1 }) : noise(1));
    const { steps, text, of, tried } = smallest(runtime.trace.export(), { stores, fails: { rule: RULE } });
    const actions = steps.flatMap(({ action }) => action ?? []);
    expect(actions).toEqual([1, 2, 3, 4].map((at) => marked({ at })));
    expect(of).toBeGreaterThan(count / 2);
    expect(tried).toBeLessThan(2000);
    const source = writeTest(text, { model: './model.js', stores });
    expect(source).toContain('expect(runtime.problems.map(({ error }) => String(error))).toEqual([])');
    expect(source.match(/runtime\.dispatch\(/g)).toHaveLength(4);
    // What is read again is what was written.
    expect(readTrace(text).steps.flatMap(({ action }) => action ?? [])).toEqual(actions);
  });

  test('leaves out a run with all that it did, and keeps one that matters with its facts', async () => {
    const office = need<{ ask(): Promise<number> }>('office');
    const { stores, quay, marked, noise } = declare([1]);
    const quiet = task(quay, 'quiet', async ({ dispatch, use }) => {
      dispatch(noise(1));
      await use(office).ask();
      dispatch(noise(1));
    });
    const loud = task(quay, 'loud', async ({ dispatch, use }) => {
      dispatch(noise(1));
      dispatch(marked({ at: await use(office).ask() }));
    });
    const runtime = testRuntime({ stores, needs: [office.by({ ask: () => Promise.resolve(1) })] });
    for (const call of [quiet(), quiet(), loud(), quiet()]) await runtime.run(call);
    const { steps } = smallest(runtime.trace.export(), { stores, fails: { rule: RULE } });
    expect(steps.filter(({ fact }) => fact !== 'initial').map(({ action, fact }) => action?.type ?? fact)).toEqual([
      'runStarted',
      'quay.marked',
    ]);
  });

  test('looks for errors, for values, for what code does otherwise now, and for what a function says', () => {
    const gauge = store('gauge', { level: 0, last: '' });
    const rose = gauge.action('rose', (draft, by: number) => {
      if (draft.level + by > 5) throw Object.assign(new Error('over'), { code: 'FLOOD' });
      draft.level += by;
    });
    const noted = gauge.action('noted', (draft, last: string) => void (draft.last = last));
    const runtime = testRuntime({ stores: [gauge] });
    for (const action of [rose(2), noted('a long remark'), rose(3), noted('b'), rose(1)]) {
      try {
        runtime.dispatch(action);
      } catch {
        // The flood.
      }
    }
    const file = runtime.trace.export();
    const typesFor = (fails: Parameters<typeof smallest>[1]['fails'], stores = [gauge]): unknown[] =>
      smallest(file, { stores, fails }).steps.flatMap(({ action }) => (action ? [action.payload] : []));
    expect(typesFor({ error: 'FLOOD' })).toEqual([2, 3, 1]);
    expect(typesFor({ pointer: '/gauge/level', value: 5 })).toEqual([2, 3]);
    expect(typesFor(({ states }) => (states.gauge as { last: string }).last.includes('r'))).toEqual(['r']);
    const now = store('gauge', { level: 0, last: '' });
    now.action('rose', (draft, by: number) => void (draft.level += by === 3 ? 4 : by));
    now.action('noted', (draft, last: string) => void (draft.last = last));
    expect(typesFor('differs', [now as never])).toEqual([3]);
    expect(codeOf(() => typesFor({} as never))).toBe('FLOE_BAD_OPTION');
  });
});
