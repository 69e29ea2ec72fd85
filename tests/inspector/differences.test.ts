// What is different between two derived values, in words.
import { expect, test } from '@jest/globals';
import { differenceText } from '../../src/inspector/history/differences.js';

const visit = (id: string, place: string, more: object = {}): object => ({ id, place, ...more });

test.each<[string, unknown, unknown, string | undefined]>([
  [
    'a field of one item',
    [visit('v1', 'S2'), visit('v2', 'N1')],
    [visit('v1', 'N1'), visit('v2', 'N1')],
    'v1, place S2 → N1; order unchanged',
  ],
  ['an item that went', [visit('v1', 'S2'), visit('v2', 'N1')], [visit('v1', 'S2')], '2 → 1 items, without v2'],
  ['an item that came', [], [visit('v1', 'S2')], '0 → 1 item, with v1'],
  ['one for another', [visit('v1', 'S2')], [visit('v2', 'S2')], '1 items as before, without v1, with v2'],
  ['another order', [visit('v1', 'S2'), visit('v2', 'N1')], [visit('v2', 'N1'), visit('v1', 'S2')], 'order changed'],
  ['texts', ['a', 'b'], ['b', 'c'], '2 items as before, without a, with c'],
  ['items without names', [{ depth: 1 }, { depth: 1 }], [{ depth: 1 }, { depth: 2 }], 'item 1, depth 1 → 2'],
  ['numbers that stand twice', [1, 1, 2], [1, 1, 3], 'item 2, 2 → 3'],
  [
    'fields of an object',
    { open: true, at: { depth: 5 } },
    { open: false, at: { depth: 6 } },
    'open true → false, at · depth 5 → 6',
  ],
  [
    'a list in an object',
    { berths: ['N1'], of: 'N' },
    { berths: ['N1', 'N2'], of: 'N' },
    'berths: 1 → 2 items, with N2',
  ],
  [
    'a Map',
    new Map([['N1', { depth: 5 }]]),
    new Map([
      ['N1', { depth: 6 }],
      ['N2', { depth: 4 }],
    ]),
    'with N2; N1, depth 5 → 6',
  ],
  ['a Set', new Set(['a']), new Set(['a', 'b']), '1 → 2 items, with b'],
  ['equal lists', [visit('v1', 'S2')], [visit('v1', 'S2')], ''],
  ['equal texts', 'a', 'a', ''],
  ['another text', 'a', 'b', undefined],
  ['a list that became a text', ['a'], 'a', undefined],
])('%s', (_what, before, after, text) => {
  expect(differenceText(before, after)).toBe(text);
});

test('of very many changes few are told, and all are counted', () => {
  const before = Array.from({ length: 5000 }, (_, i) => visit(`v${i}`, 'S2'));
  const after = before.map((one, i) => (i % 2 === 0 ? { ...one, place: 'N1' } : one));
  expect(differenceText(before, after)).toBe(
    'v0, place S2 → N1; v2, place S2 → N1; v4, place S2 → N1; 2497 more changed; order unchanged',
  );
  const isLong = Array.from({ length: 30_000 }, (_, i) => i);
  expect(differenceText(isLong, [...isLong, 1])).toBe('30000 → 30001 items');
});
