// More than a hundred holds, of selections that give fresh values and of selectors with arguments, against a model: what a hold
// gives is right, stays the same object while nothing that it read changed, and is notified of exactly then.
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store, type Read } from '../../src/core/index.js';
import { holdOf, selectedRecipe, type Hold } from '../../src/core/features/hold.js';
import { runs } from '../support/runs.js';

const COUNT = 130;
const ROWS = 6;

const kinds = ['get', 'subscribe', 'stop', 'again', 'edit', 'other', 'remove', 'put', 'turn'] as const;
const someStep = fc.record({ kind: fc.constantFrom(...kinds), n: fc.nat(COUNT - 1), m: fc.nat(ROWS - 1) });

test('holds against what they select, recomputed from the state', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(someStep, { maxLength: 60 }), async (program) => {
      const rows = store('rows', () => ({
        all: Array.from({ length: ROWS }, (_, i): number[] | null => [i]),
        other: 0,
      }));
      const set = rows.action('set', (draft, { m, to }: { m: number; to: number[] | null }) => {
        draft.all[m] = to;
      });
      const other = rows.action('other', (draft) => void (draft.other += 1));
      // Far fewer results are kept than there are holds.
      const doubled = rows.selector('doubled', ({ all }, n: number) => all[n % ROWS]!.map((one) => one * 2), {
        keep: 5,
      });
      const problems: unknown[] = [];
      const runtime = createRuntime({ stores: [rows], onProblem: ({ error }) => problems.push(error) });
      const state = () => runtime.read(rows).all;

      // Every third is a selector with arguments, as many different ones as there are.
      const recipeOf = (n: number) =>
        n % 3 === 0
          ? selectedRecipe(doubled(n))
          : selectedRecipe((read: Read) => read(rows).all[n % ROWS]!.map((one) => one * 2));
      const holds: Hold<number[]>[] = [];
      const hold = (n: number) => (holds[n] ??= holdOf(runtime, recipeOf(n)));
      for (let n = 0; n < COUNT; n++) hold(n);
      const reported = Array<number>(COUNT).fill(0);
      const stops: ((() => void) | undefined)[] = [];
      const known: (number[] | string | undefined)[] = [];
      const look = (n: number): number[] | string => {
        const row = state()[n % ROWS];
        try {
          const value = hold(n).get();
          expect(value).toEqual(row?.map((one) => one * 2));
          return value;
        } catch (error) {
          if (row) throw error;
          return 'error';
        }
      };
      for (let n = 0; n < COUNT; n++) known[n] = look(n);
      let serial = 100;
      const change = (m: number, work: () => void, isNews: boolean): void => {
        const before = [...reported];
        work();
        for (let n = 0; n < COUNT; n++) {
          const isMine = isNews && n % ROWS === m;
          expect(reported[n] - before[n]).toBe(isMine && stops[n] ? 1 : 0);
          const now = look(n);
          if (!isMine) expect(now).toBe(known[n]);
          known[n] = now;
        }
      };
      for (const { kind, n, m } of program) {
        const row = state()[m];
        if (kind === 'get') expect(look(n)).toBe(known[n]);
        else if (kind === 'subscribe') stops[n] ??= hold(n).subscribe(() => reported[n]++);
        else if (kind === 'stop' || kind === 'again') {
          const stopped = stops[n];
          stopped?.();
          stops[n] = kind === 'again' && stopped ? hold(n).subscribe(() => reported[n]++) : undefined;
          // Subscribed again at once, or asked before the turn is over, it is the same value.
          expect(look(n)).toBe(known[n]);
        } else if (kind === 'turn') {
          await Promise.resolve();
          // Those that nothing uses any more may be computed again.
          for (let i = 0; i < COUNT; i++) known[i] = look(i);
        } else if (kind === 'other') change(m, () => runtime.dispatch(other()), false);
        else if (kind === 'remove') change(m, () => runtime.dispatch(set({ m, to: null })), row !== null);
        else change(m, () => runtime.dispatch(set({ m, to: [serial++] })), true);
      }
      expect(problems).toEqual([]);
    }),
    { numRuns: runs(60) },
  );
});
