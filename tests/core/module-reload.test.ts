// A module that was edited: what it declares now takes the place of what it declared before.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, selector, store, task } from 'floe';
import { renewModule } from '../../src/core/module-reload.js';
import { evaluated as noted, renewed } from '../../src/vite/page.js';

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
  const measure = task('measure', () => Promise.resolve(by));
  return { tide, rose, doubled, isHigh, above, raise, measure, unit: 'm', shown: () => `${1}` };
};

describe('a module that was edited', () => {
  test('is renewed in every open runtime, whoever holds what it exported first', async () => {
    const first = evaluated(1);
    const [one, two, closed] = [first, first, first].map(({ tide }) => createRuntime({ stores: [tide] }));
    await closed.close();
    const seen: unknown[] = [];
    one.watch(first.isHigh, (now) => seen.push(now));
    one.watch(first.above(3), (now) => seen.push(now));
    one.dispatch(first.rose());
    const modules: object[] = [first];
    for (const by of [5, 20]) {
      const next = evaluated(by, { begin: { level: 0, day: by } });
      expect(renewModule(modules as never, next)).toBeUndefined();
      modules.push(next);
      one.dispatch(first.rose());
      await one.run(first.raise());
      expect(await one.run(first.measure())).toBe(by);
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
    ["'unit' is another value now", (next: object) => ({ ...next, unit: 'cm' })],
    ["'shown' is another value now", (next: object) => ({ ...next, shown: () => `${2}` })],
    ["'isHigh' is something else now", (next: object) => ({ ...next, isHigh: true })],
    ["the state of 'tide' is of another kind now", () => evaluated(2, { begin: [] })],
  ])('is not where %s: then nothing is done', async (why, edited) => {
    const first = evaluated(1);
    const runtime = createRuntime({ stores: [first.tide] });
    expect(renewModule([first], edited(evaluated(2)) as never)).toContain(why);
    runtime.dispatch(first.rose());
    expect(runtime.read(first.tide).level).toBe(1);
    await runtime.close();
  });

  test('is compared with what it exported before, however early the page has what it exports now', async () => {
    const [first, { rose: _, ...next }] = [evaluated(1), evaluated(2)];
    for (const exports of [first, next]) noted('/src/tide.ts', { on: () => undefined }, Promise.resolve(exports));
    await Promise.resolve();
    expect(renewed('/src/tide.ts', next)).toBe("'rose' is no longer exported");
  });
});
