// Values in a few words, and their parts in windows.
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createRuntime } from 'floe';
import { partsOf, partsShown, sizeOf, valueShown } from '../../src/inspector/history/values.js';
import { runs } from '../support/runs.js';
import { declarePort } from './port.js';

const words = (value: unknown): string => valueShown(value).text;

test('a value is told in a few words on one line', () => {
  expect(words('N4')).toBe('N4');
  expect(words(-0)).toBe('-0');
  expect(words(new Date('2031-03-02T06:00:00Z'))).toBe('2031-03-02T06:00:00.000Z');
  expect(words({ day: '2031-03-02', filter: 'all', deep: { a: { b: { c: 1 } } } })).toBe(
    '{ day: "2031-03-02", filter: "all", deep: { a: { b: {…} } } }',
  );
  expect(words([1, 'two', null])).toBe('[1, "two", null]');
  expect(words(new Map([['N4', 1]]))).toBe('{ N4: 1 }');
  expect(valueShown('(redacted)')).toEqual({ kind: 'redacted', text: 'redacted' });
  expect(words({ key: '(redacted)' })).toBe('{ key: ••• }');
  expect(valueShown(new Error('no'))).toEqual({ kind: 'error', text: 'no' });
  expect(words(Symbol('x'))).toBe('symbol');
});

test('a long value is cut, and says so', () => {
  const long = valueShown('x'.repeat(1000));
  expect([long.text.length, long.cut]).toEqual([160, true]);
  const list = valueShown(Array.from({ length: 100 }, (_, i) => i));
  expect([list.size, list.cut, list.text]).toEqual([100, true, '[0, 1, 2, 3, 4, 5, 6, 7, …]']);
});

test('windows of parts, put together, hold each part once, those that come first in front', () => {
  const { port, berth, stores } = declarePort();
  const runtime = createRuntime({ stores });
  fc.assert(
    fc.property(
      fc.uniqueArray(fc.string({ minLength: 1, maxLength: 6 }), { maxLength: 60 }),
      fc.array(fc.nat({ max: 70 }), { maxLength: 4 }),
      fc.integer({ min: 1, max: 25 }),
      fc.constantFrom('list', 'object', 'table', 'map', 'set'),
      (names, chosen, count, kind) => {
        runtime.reset();
        runtime.dispatch(
          port.ingest(
            berth,
            names.map((id) => ({ id, depth: 1 })),
          ),
        );
        const value = {
          list: names,
          object: Object.fromEntries(names.map((name) => [`k${name}`, name])),
          table: runtime.read(port).berth,
          map: new Map(names.map((name) => [name, 1])),
          set: new Set(names),
        }[kind];
        const all = partsOf(value, 0, 1000).map(([key]) => key);
        expect(all).toHaveLength(sizeOf(value));
        const first = [...new Set(chosen.flatMap((at) => all[at] ?? 'is not there'))];
        const known = first.filter((key) => all.includes(key));
        const shown: string[] = [];
        for (let from = 0; from < all.length; from += count) {
          const { parts, total } = partsShown(value, undefined, [], { from, count, first });
          expect(total).toBe(all.length);
          shown.push(...parts.map(({ key }) => key));
        }
        expect(shown).toEqual([...known, ...all.filter((key) => !known.includes(key))]);
      },
    ),
    { numRuns: runs(200) },
  );
});
