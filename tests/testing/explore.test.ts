// The search through the states of a model, against a search of its own through numbers.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime, store, type AnyAction } from 'floe';
import { tableOf } from 'floe/entities';
import { explore, type StoryStep } from 'floe/testing';
import { DataHashes } from '../../src/testing/search/data-hashes.js';
import { codeOf } from '../support/failures.js';
import { runs } from '../support/runs.js';

const actionsOf = (story: readonly StoryStep[]): AnyAction[] =>
  story.flatMap((step) => (step.does === 'dispatch' ? [step.action] : []));

/** A level that turns round at `size`, and how it moves. */
const declare = (size: number, banned: number) => {
  const tide = store('tide', { level: 0 });
  const moved = tide.action('moved', (draft, by: number) => {
    if (by === 7) throw new RangeError('The gauge is stuck');
    draft.level = (draft.level + by) % size;
  });
  const log = store('log', { lines: 0 });
  tide.invariant('not too high', ({ level }) => level !== banned);
  return { stores: [tide, log], tide, moved };
};

test('what explore finds is what a search through the numbers finds', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.integer({ min: 2, max: 40 }),
      fc.nat(40),
      fc.uniqueArray(fc.nat(9), { minLength: 1, maxLength: 4 }),
      fc.integer({ min: 1, max: 9 }),
      async (size, banned, moves, steps) => {
        const { stores, tide, moved } = declare(size, banned);
        const found = await explore({ stores, examples: moves.map((by) => moved(by)), steps });
        /** How far each level is away. */
        const distances = new Map(banned === 0 ? [] : [[0, 0]]);
        let broken = banned === 0 ? 0 : Infinity;
        let complete = true;
        for (const [level, distance] of distances)
          for (const by of moves.filter((one) => one !== 7)) {
            const next = (level + by) % size;
            if (distance === steps) complete &&= distances.has(next);
            else if (next === banned) broken = Math.min(broken, distance + 1);
            else if (!distances.has(next)) distances.set(next, distance + 1);
          }
        expect([found.states, found.steps, found.complete]).toEqual([
          distances.size,
          Math.max(0, ...distances.values()),
          complete && broken === Infinity,
        ]);
        expect(found.broken.map(({ what, story }) => [what, story.length])).toEqual(
          broken === Infinity ? [] : [['tide.not too high', broken]],
        );
        expect(found.failures.map(({ story }) => actionsOf(story))).toEqual(
          moves.includes(7) && banned !== 0 ? [[moved(7)]] : [],
        );
        // A runtime refuses the last action of the way, and takes those before it.
        const runtime = createRuntime({ stores, invariants: 'refuse' });
        const way = [...actionsOf(found.broken.at(0)?.story ?? [])];
        const last = way.pop();
        for (const action of way) expect(runtime.dispatch(action)).toBe('applied');
        if (last) expect(codeOf(() => runtime.dispatch(last))).toBe('FLOE_INVARIANT_BROKEN');
        expect(runtime.read(tide).level).toBe(way.reduce((sum, { payload }) => (sum + (payload as number)) % size, 0));
      },
    ),
    { numRuns: runs(300) },
  );
});

describe('explore', () => {
  const { stores, tide, moved } = declare(40, 9);
  const reset = tide.action('emptied', () => ({ level: 0 }));

  test('asks functions for the actions that make sense in a state, and lists what no example is of', async () => {
    const onState = (done: number, known: number): void => expect(done).toBeLessThanOrEqual(known);
    const { states, tried, untried, complete } = await explore({
      stores,
      examples: [(read) => (read(tide).level < 3 ? [moved(1)] : [])],
      onState,
    });
    expect([states, complete, untried]).toEqual([4, true, [reset().type]]);
    expect(tried).toEqual([{ type: 'tide.moved', applied: 3, unchanged: 0, failed: 0, broke: 0 }]);
  });

  test('knows a state again that another order of the actions has made, whatever it holds', async () => {
    const port = store('port', () => ({
      rows: tableOf<{ at: Date | null }>([['v1', { at: null }]]),
      list: [{ tags: new Set<string>() }, { tags: new Set<string>() }],
      deep: { a: { b: '1' as unknown } },
    }));
    const examples = [
      port.action('dated', (draft) => void (draft.rows.get('v1')!.at = new Date(5)))(),
      port.action('added', (draft) => void draft.rows.set('v2', { at: null }))(),
      port.action('tagged', (draft) => void (draft.list[1].tags = new Set(['late'])))(),
      port.action('typed', (draft) => void (draft.deep.a.b = 1))(),
    ];
    expect(await explore({ stores: [port], examples })).toMatchObject({ states: 16, steps: 4, complete: true });
  });

  test('stops at so many states, and says that there are more', async () => {
    expect(await explore({ stores, examples: [moved(1)], states: 3 })).toMatchObject({ states: 3, complete: false });
  });

  test('refuses what is no option, no list, no count and no action of the model', async () => {
    const examples: readonly AnyAction[] = [{ type: 'tide.mowed' }];
    await expect(explore({ stores, examples })).rejects.toThrow("'tide.moved'");
    for (const wrong of [{ steps: 0 }, { states: 1.5 }, { examples: {} }, { stores: tide }])
      await expect(explore({ stores, examples: [], ...wrong } as never)).rejects.toMatchObject({
        code: 'FLOE_BAD_OPTION',
      });
    await expect(explore({ stores, examples: [], depth: 3 } as never)).rejects.toMatchObject({
      code: 'FLOE_UNKNOWN_OPTION',
    });
    const level = tide.selector('level', (state) => state.level);
    for (const [example, words] of [
      [moved, "is the creator of 'tide.moved'; call it"],
      [42, 'neither an action'],
      [() => moved(1), 'a list of actions'],
      [(read: (source: unknown) => number) => (read(level) > 0 ? [] : []), 'not selectors'],
    ] as const)
      await expect(explore({ stores, examples: [example] } as never)).rejects.toThrow(words);
  });
});

test('the number of the next version of some data is the one that it has by itself', () => {
  const data = fc.anything({ withMap: true, withSet: true, withDate: true, maxDepth: 3 });
  fc.assert(
    fc.property(data, data, (before, after) => {
      const hashes = new DataHashes();
      hashes.of(before);
      expect(hashes.of(after, before)).toBe(new DataHashes().of(after));
    }),
    { numRuns: runs(400) },
  );
});
