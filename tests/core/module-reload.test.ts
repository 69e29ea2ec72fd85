// A module that was edited: what it declares now takes the place of what it declared before.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, need, selector, store, task } from 'floe';
import { renewModule } from '../../src/core/module-reload.js';
import { began, evaluated as noted, renewed } from '../../src/vite/page.js';

/** What one evaluation of a module exports. */
const evaluated = (by: number, { name = 'tide', begin = { level: 0 } as object } = {}) => {
  const tide = store(name, begin as { level: number });
  const rose = tide.action('rose', (draft) => {
    draft.level += by;
  });
  const doubled = tide.selector('doubled', ({ level }) => 2 * level * by);
  const isHigh = selector('isHigh', (read) => `${read(tide).level >= 10} by ${by}`);
  const above = selector('above', (read, level: number) => `${read(tide).level > level} by ${by}`);
  const raise = task(tide, 'raise', ({ dispatch }) => void dispatch(rose()));
  const gauge = need<{ level: number }>('gauge');
  const measure = task('measure', ({ use }) => Promise.resolve(by + use(gauge).level));
  return { tide, rose, doubled, isHigh, above, raise, gauge, measure, unit: 'm', shown: () => `${1}` };
};

const facts = (isSameBeside: boolean) => ({ isSameBeside, declaresElsewhere: false });

describe('a module that was edited', () => {
  test('is renewed in every open runtime, whoever holds what it exported first', async () => {
    const first = evaluated(1);
    const [one, two, closed] = [first, first, first].map(({ tide, gauge }) =>
      createRuntime({ stores: [tide], needs: [gauge.by({ level: 100 })] }),
    );
    await closed.close();
    const seen: unknown[] = [];
    one.watch(first.isHigh, (now) => seen.push(now));
    one.watch(first.above(3), (now) => seen.push(now));
    one.dispatch(first.rose());
    const modules: object[] = [first];
    for (const by of [5, 20]) {
      const next = evaluated(by, { begin: { level: 0, day: by } });
      expect(renewModule(modules as never, next, facts(true))).toBeUndefined();
      modules.push(next);
      one.dispatch(first.rose());
      await one.run(first.raise());
      expect([await one.run(first.measure()), await one.run(next.measure())]).toEqual([by + 100, by + 100]);
      two.dispatch(next.rose());
    }
    const read = (source: never): unknown => [one.read(source), two.read(source)];
    expect(read(first.tide as never)).toMatchObject([{ level: 51 }, { level: 25 }]);
    expect(read(first.doubled as never)).toEqual([2040, 1000]);
    expect(read(first.isHigh as never)).toEqual(['true by 20', 'true by 20']);
    expect(seen).toEqual(expect.arrayContaining(['false by 5', 'true by 5', 'true by 20']));
    expect(seen.at(-1)).toBe('true by 20');
    await Promise.all([one.close(), two.close()]);
  });

  test.each([
    ["'rose' is no longer exported", ({ rose: _, ...rest }: ReturnType<typeof evaluated>) => rest],
    ["'tide' is called 'flood' now", () => evaluated(2, { name: 'flood' })],
    ["'unit' may be something else now", (next: object) => ({ ...next, unit: 'cm' })],
    ["'shown' may be something else now", (next: object) => next],
    ["'isHigh' is something else now", (next: object) => ({ ...next, isHigh: true })],
    ["the state of 'tide' is of another kind now", () => evaluated(2, { begin: [] })],
  ])('is not where %s: then nothing is done', async (why, edited) => {
    const first = evaluated(1);
    const runtime = createRuntime({ stores: [first.tide] });
    expect(renewModule([first], edited(evaluated(2)) as never, facts(!why.includes('may be')))).toContain(why);
    runtime.dispatch(first.rose());
    expect(runtime.read(first.tide).level).toBe(1);
    await runtime.close();
  });

  test('is left to Vite where it declares nothing of Floe, though its calls look so', () => {
    const chart = { shown: () => 1 };
    expect(renewModule([chart], { ...chart }, facts(true))).toBe('it declares nothing that Floe renews');
  });

  test('is compared with what it exported before, however early the page has what it exports now', async () => {
    const [first, { rose: _, ...next }] = [evaluated(1), evaluated(2)];
    for (const exports of [first, next]) {
      began('/src/tide.ts');
      noted('/src/tide.ts', { on: () => undefined }, Promise.resolve(exports), '');
    }
    await Promise.resolve();
    expect(renewed('/src/tide.ts', next)).toBe("'rose' is no longer exported");
  });

  describe('and declares on the store of another one', () => {
    const tide = store('tide', { level: 0, seen: [] as string[] });
    const rose = tide.action('rose', (draft) => void draft.level++);
    const seenBy = (draft: { seen: string[] }, by: string): void => void draft.seen.push(by);
    const hot = { on: () => expect(undefined).toBe('never called') as never };
    /** One evaluation of the module. */
    const evaluate = async (by: string, handles = true) => {
      began('/src/more.ts');
      if (handles) tide.when(rose, (draft) => seenBy(draft, `when ${by}`));
      const fell = tide.action('fell', (draft) => seenBy(draft, `action ${by}`));
      const shown = tide.selector('shown', ({ level }) => `${level} by ${by}`);
      const rise = task(
        tide,
        'rise',
        ({ dispatch }) => {
          dispatch(rose());
          return by;
        },
        { when: fell },
      );
      tide.invariant('low', ({ level }) => level < 10 || by === 'c');
      if (by === 'wrong') throw new Error('half of it');
      const exports = { fell, shown, rise, replaced: tide.edits().replace };
      noted('/src/more.ts', hot, Promise.resolve(exports), '');
      await Promise.resolve();
      return exports;
    };

    test('is renewed: what it declared before is gone, and a failed evaluation changes nothing', async () => {
      const { fell, shown, rise, replaced } = await evaluate('a');
      const problems: string[] = [];
      const runtime = createRuntime({
        stores: [tide],
        onProblem: ({ error }) => problems.push(String((error as Error).message)),
      });
      const seen: string[] = [];
      runtime.watch(shown, (now) => seen.push(now));
      runtime.dispatch(fell());
      expect(runtime.read(tide)).toEqual({ level: 1, seen: ['action a', 'when a'] });
      await expect(evaluate('wrong')).rejects.toThrow('half of it');
      const next = await evaluate('b');
      expect(renewed('/src/more.ts', next)).toBeUndefined();
      expect(next.replaced).toBe(replaced);
      expect(await runtime.run(rise())).toBe('b');
      runtime.dispatch(next.fell());
      runtime.dispatch(replaced({ level: 20, seen: [] }));
      expect([problems.length, problems[0]]).toEqual([1, expect.stringContaining('tide.low')]);
      expect(renewed('/src/more.ts', await evaluate('c', false))).toBeUndefined();
      expect([runtime.dispatch(rose()), runtime.read(tide)]).toEqual(['applied', { level: 21, seen: [] }]);
      expect(seen).toEqual(['1 by a', '1 by b', '2 by b', '3 by b', '20 by b', '20 by c', '21 by c']);
      expect(problems).toHaveLength(1);
      await runtime.close();
    });

    test('still serves each name once', () => {
      began('/src/twice.ts');
      expect(() => tide.action('rose', () => undefined)).toThrow(/tide.rose/);
      tide.action('turned', () => undefined);
      noted('/src/twice.ts', hot, Promise.resolve({}), '');
      began('/src/twice.ts');
      tide.action('turned', () => undefined);
      expect(() => tide.action('turned', () => undefined)).toThrow(/tide.turned/);
    });
  });
});
