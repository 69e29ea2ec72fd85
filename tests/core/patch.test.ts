import { describe, expect, test } from '@jest/globals';
import { applyPatch, type Patch } from 'floe';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';

interface Case {
  readonly comment?: string;
  readonly doc: unknown;
  readonly patch: Patch;
  readonly expected?: unknown;
  readonly error?: string;
  readonly disabled?: boolean;
}

// The published collection of test cases for RFC 6902.
const collection = dirname(createRequire(import.meta.url).resolve('json-patch-test-suite/package.json'));

describe.each(['tests.json', 'spec_tests.json'])('the published RFC 6902 cases: %s', (file) => {
  const all = JSON.parse(readFileSync(join(collection, file), 'utf8')) as Case[];
  const cases = all.filter(({ disabled, patch }) => !disabled && patch);
  test('there are many', () => {
    expect(cases.length).toBeGreaterThan(15);
  });
  test.each(cases.map((one, i) => [`${i}: ${one.comment ?? one.error ?? JSON.stringify(one.patch)}`, one] as const))(
    '%s',
    (_name, one) => {
      const kept = JSON.stringify(one.doc);
      if (one.error !== undefined)
        expect(() => applyPatch(one.doc, one.patch)).toThrow(expect.objectContaining({ code: 'FLOE_PATCH_FAILED' }));
      else {
        const after = applyPatch(one.doc, one.patch);
        if ('expected' in one) expect(after).toEqual(one.expected);
      }
      expect(JSON.stringify(one.doc)).toBe(kept);
    },
  );
});

describe('applyPatch', () => {
  test('shares what it does not touch, and a copied value stays apart from its original', () => {
    const doc = { a: { b: { c: 1 } }, other: { x: 1 } };
    const after = applyPatch(doc as Record<string, unknown>, [
      { op: 'replace', path: '/a/b/c', value: 2 },
      { op: 'copy', from: '/a', path: '/z' },
      { op: 'replace', path: '/z/b/c', value: 3 },
    ]);
    expect(after).toEqual({ a: { b: { c: 2 } }, other: { x: 1 }, z: { b: { c: 3 } } });
    expect(after.other).toBe(doc.other);
    expect(doc.a.b.c).toBe(1);
  });

  test('__proto__ in a path is a key like any other', () => {
    const after = applyPatch({}, [{ op: 'add', path: '/__proto__', value: { x: 1 } }]);
    expect(Object.keys(after)).toEqual(['__proto__']);
    expect((after as { x?: number }).x).toBe(undefined);
    expect(() => applyPatch({}, [{ op: 'add', path: '/__proto__/x', value: 1 }])).toThrow(
      expect.objectContaining({ code: 'FLOE_PATCH_FAILED' }),
    );
    expect(() => applyPatch({}, [{ op: 'replace', path: '/constructor', value: 1 }])).toThrow(
      expect.objectContaining({ code: 'FLOE_PATCH_FAILED' }),
    );
  });

  test('leaf values are tested by value', () => {
    const doc = { at: new Date(5), berths: new Set(['N1']) };
    expect(applyPatch(doc, [{ op: 'test', path: '/at', value: new Date(5) }])).toBe(doc);
    expect(applyPatch(doc, [{ op: 'test', path: '/berths', value: new Set(['N1']) }])).toBe(doc);
    expect(() => applyPatch(doc, [{ op: 'test', path: '/at', value: new Date(6) }])).toThrow(
      expect.objectContaining({ path: '/at' }),
    );
  });
});
