// JSON Patch (RFC 6902) and JSON Pointer (RFC 6901).
import { describe, expect, test } from '@jest/globals';
import { applyPatch, at, createRuntime, FloeError, store, type Patch } from 'floe';
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

describe('JSON Pointers', () => {
  test('what is no pointer is refused with the reason', () => {
    const thing = store('thing', { 'a/b': { 'm~n': 1 }, '~1': 2, '': 3 });
    const { read } = createRuntime({ stores: [thing] });
    expect(() => at(thing, 'a')).toThrow("'a' is not a JSON Pointer (RFC 6901): it must be empty or start with '/'.");
    expect(() => at(thing, '/a~b')).toThrow("'~' must be written '~0', and '/' inside a key '~1'");
    expect(() => at(thing, '/a~')).toThrow(FloeError);
    expect(read(at(thing, '/a~1b/m~0n'))).toBe(1);
    expect(read(at(thing, '/~01'))).toBe(2);
    expect(read(at(thing, '/'))).toBe(3);
    expect(read(at(thing, ''))).toBe(read(thing));
  });

  test('a patch says which operation cannot be applied, and why', () => {
    const document = { list: [1, 2], a: { b: 1 } };
    const failing = (operation: unknown): string => {
      try {
        applyPatch(document, [{ op: 'test', path: '', value: document }, operation as never]);
      } catch (error) {
        return (error as Error).message;
      }
      return 'applied';
    };
    expect(failing({ op: 'add', path: '/list/3', value: 0 })).toBe(
      "Operation 1 of the patch (at '/list/3') cannot be applied: the array has 2 items. Nothing was changed.",
    );
    expect(failing({ op: 'copy', from: '/list/2', path: '/c' })).toContain('the array has 2 items');
    expect(failing({ op: 'copy', from: '/list/-', path: '/c' })).toContain("'-' is not an array index");
    expect(failing('add')).toContain('it is not an object');
    expect(failing({ op: 'add', path: '/list/01', value: 0 })).toContain("'01' is not an array index");
    expect(failing({ op: 'remove', path: '/none' })).toContain("nothing is at 'none'");
    expect(failing({ op: 'add', path: '/none/b', value: 0 })).toContain("nothing is at 'none'");
    expect(failing({ op: 'add', path: '/a/b/c', value: 0 })).toContain('neither an object nor an array');
    expect(failing({ op: 'test', path: '/a/b', value: 2 })).toContain('the value there is another one');
    expect(failing({ op: 'move', from: '/a', path: '/a/b' })).toContain('cannot be moved into itself');
    expect(failing({ op: 'add', path: '/a' })).toContain("it has no 'value'");
    expect(failing({ op: 'add', value: 1 })).toContain("it has no 'path' text");
    expect(failing({ op: 'copy', path: '/c' })).toContain("it has no 'from' text");
    expect(failing({ op: 'add', path: 'a', value: 1 })).toContain("must be empty or start with '/'");
    expect(failing({ op: 'swap', path: '/a' })).toContain("'swap' is not an operation");
    expect(failing(null as never)).toContain('it is not an object');
    expect(document).toEqual({ list: [1, 2], a: { b: 1 } });
    expect(applyPatch(document, [{ op: 'move', from: '/a', path: '/ab' }])).toEqual({ list: [1, 2], ab: { b: 1 } });
    expect(applyPatch(document, [{ op: 'move', from: '/a', path: '/a' }])).toEqual(document);
    expect(applyPatch(document, [{ op: 'remove', path: '' }])).toBeUndefined();
  });
});
