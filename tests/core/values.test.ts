// What counts as data, as an argument, and as the same; and how values travel as text.
import { describe, expect, test } from '@jest/globals';
import { runInNewContext } from 'node:vm';
import { createRuntime, parseSnapshot, selector, snapshotText, store, type Read } from 'floe';
import { tableOf } from 'floe/entities';
import fc from 'fast-check';
import { keeping, sameData } from '../../src/core/data/plain.js';
import { failure } from '../support/failures.js';
import { runs } from '../support/runs.js';

describe('arguments of selectors', () => {
  const thing = store('thing', { n: 0 });
  const seen: unknown[] = [];
  const given = selector('given', (_read: Read, ...args: unknown[]) => {
    seen.push(args);
    return [...args];
  }) as unknown as (...args: unknown[]) => never;

  test('equal arguments share a result, and others have their own', () => {
    const runtime = createRuntime({ stores: [thing] });
    const date = (n: number): Date => new Date(n);
    const different: unknown[][] = [
      ['1'],
      [1],
      ['-0'],
      [-0],
      [0],
      [NaN],
      ['NaN'],
      [null],
      ['null'],
      [undefined],
      [true],
      ['"1'],
      [1n],
      [date(1)],
      [date(2)],
      [new Map([[1, 2]])],
      [new Map([[2, 1]])],
      [new Set([1])],
      [[1]],
      [['1']],
      [[]],
      [{}],
      [{ a: 1 }],
      [{ a: undefined }],
      [{ a: [1, { b: 2 }] }],
      [{ o: [['a', 1]] }],
      [[['a', 1]]],
      [1, 2],
      [[1, 2]],
      [1, undefined],
      ['1', '2'],
      ['1","2'],
    ];
    const results = different.map((args) => runtime.read(given(...args)));
    expect(new Set(results).size).toBe(different.length);
    for (const [i, args] of different.entries()) expect(runtime.read(given(...args))).toBe(results[i]);
    expect(runtime.read(given({ b: 1, a: { d: 2, c: 3 } }))).toBe(runtime.read(given({ a: { c: 3, d: 2 }, b: 1 })));
    expect(seen).toHaveLength(different.length + 1);
  });

  test('an error names the place of an argument that is no plain data', () => {
    class Vessel {
      name = 'Ern';
    }
    const circle: unknown[] = [];
    circle.push(circle);
    const bad: [unknown[], string][] = [
      [[() => 1], '/0'],
      [[1, Symbol('s')], '/1'],
      [[{ a: [0, { b: () => 1 }] }], '/0/a/1/b'],
      [[new Vessel()], '/0'],
      [[circle], '/0/0'],
      [[tableOf([['a', 1]])], '/0'],
    ];
    for (const [args, path] of bad) {
      const { code, path: found, message } = failure(() => given(...args));
      expect([code, found]).toEqual(['FLOE_BAD_ARGUMENT', path]);
      expect(message).toContain("the selector 'given'");
    }
    // The same object twice is no circle.
    const twice = { n: 1 };
    expect(() => given([twice, twice], twice)).not.toThrow();
  });

  test('an error says what was read instead of a source', () => {
    const { read } = createRuntime({ stores: [thing] });
    const needs = thing.selector('needs', (state, by: number) => state.n + by);
    expect(failure(() => read(needs as never)).message).toContain('needs its arguments');
    for (const nothing of [null, undefined, 7, {}])
      expect(failure(() => read(nothing as never)).code).toBe('FLOE_NOT_A_SOURCE');
    const optional = thing.selector('optional', (state, by: number = 2) => state.n + by);
    expect([read(optional), read(optional(5))]).toEqual([2, 5]);
    const bare = thing.selector('bare', (state) => state.n);
    expect(bare()).toBe(bare);
  });
});

describe('plain data', () => {
  class Vessel {
    name = 'Ern';
  }
  const withHole: unknown[] = [1, 2, 3];
  Reflect.deleteProperty(withHole, 1);
  const circle: Record<string, unknown> = {};
  circle.inside = { again: [circle] };
  const getter = Object.defineProperty({}, 'late/r', { get: () => 1, enumerable: true });
  test.each<[string, unknown, string, string]>([
    ['a function', { a: [() => 1] }, '/a/0', 'a function'],
    ['a symbol', { a: Symbol('s') }, '/a', 'a symbol; use a string'],
    ['a symbol as a key', { a: { [Symbol('s')]: 1 } }, '/a', 'a symbol as a key'],
    ['an instance', { a: new Vessel() }, '/a', 'an instance of a class'],
    ['what inherits', { a: Object.create(Object.create(null) as object) as object }, '/a', 'an instance of a class'],
    ['a hole', { a: withHole }, '/a', 'an array with holes'],
    ['a circle', circle, '/inside/again/0', 'an object that contains itself'],
    ['a getter', { a: getter }, '/a/late~1r', 'a getter or setter'],
    ['a function in a Map', { a: new Map([['k', () => 1]]) }, '/a/0', 'a function'],
    [
      'a function further on in a Map',
      { a: new Map<string, unknown>(Object.entries({ j: 1, k: () => 1 })) },
      '/a/1',
      '',
    ],
    ['a function in a Set', { a: new Set([1, () => 1]) }, '/a/1', 'a function'],
    ['a function in a table', { a: tableOf([['x', { f: () => 1 }]]) }, '/a/x/f', 'a function'],
    ['a promise', Promise.resolve(1), '', '(found: Promise)'],
  ])('%s is refused in a payload and in a state, with where it stands', (_what, value, path, why) => {
    const thing = store('thing', { value: 0 as unknown });
    const put = thing.action('put', (draft, next: unknown) => {
      draft.value = next;
    });
    const runtime = createRuntime({ stores: [thing] });
    const { code, path: found, message } = failure(() => runtime.dispatch(put(value)));
    expect([code, found]).toEqual(['FLOE_NOT_PLAIN_DATA', path]);
    expect(message).toContain("The payload of 'thing.put' is not plain data");
    expect(message).toContain(why);
    const begins = failure(() => createRuntime({ stores: [store('other', () => ({ value }))] }));
    expect(begins).toMatchObject({ code: 'FLOE_NOT_PLAIN_DATA', path: `/value${path}` });
    expect(begins.message).toContain("The initial state of 'other'");
  });

  test('a state is frozen as a whole, and its leaf values refuse to be changed', () => {
    const inner = { deep: [{ n: 1 }] };
    const state = {
      inner,
      map: new Map([['k', { n: 1 }]]),
      set: new Set([{ n: 1 }]),
      date: new Date(0),
      table: tableOf([['r', { n: 1 }]]),
    };
    const runtime = createRuntime({ stores: [store('thing', () => state)] });
    runtime.snapshot();
    expect(Object.isFrozen(inner.deep[0])).toBe(true);
    expect(Object.isFrozen(state.map.get('k'))).toBe(true);
    expect(Object.isFrozen([...state.set][0])).toBe(true);
    expect(Object.isFrozen(state.table.get('r'))).toBe(true);
    expect(() => state.map.set('x', { n: 2 })).toThrow(/Cannot set on a Map that is part of the state/);
    expect(() => state.map.delete('k')).toThrow(/Cannot delete on a Map/);
    expect(() => state.map.clear()).toThrow(/Cannot clear/);
    expect(() => state.set.add({ n: 2 })).toThrow(/Cannot add on a Set/);
    expect(() => state.set.delete({ n: 1 })).toThrow(/Cannot delete on a Set/);
    expect(() => state.set.clear()).toThrow(/Cannot clear on a Set/);
    expect(() => state.date.setTime(1)).toThrow(/Cannot setTime on a Date/);
    expect(() => state.date.setUTCFullYear(2031)).toThrow(TypeError);
    expect([state.map.size, state.set.size, state.date.getTime()]).toEqual([1, 1, 0]);
  });

  test('plain data of another realm is accepted', () => {
    const other = runInNewContext(
      '({ date: new Date(5), map: new Map([["k", { n: 1 }]]), set: new Set([1]), list: [{}] })',
    ) as object;
    const frozen = { date: Object.freeze(new Date(5)), map: Object.freeze(new Map()), set: Object.freeze(new Set()) };
    const runtime = createRuntime({ stores: [store('thing', () => ({ other, frozen }))] });
    const again = createRuntime({ stores: [store('thing', {})], initial: parseSnapshot(snapshotText(runtime)) });
    expect(JSON.parse(snapshotText(again))).toEqual(JSON.parse(snapshotText(runtime)));
    expect(again.snapshot()).toEqual({
      thing: {
        other: { date: new Date(5), map: new Map([['k', { n: 1 }]]), set: new Set([1]), list: [{}] },
        frozen: { date: new Date(5), map: new Map(), set: new Set() },
      },
    });
    expect(() => (other as { set: Set<number> }).set.add(2)).toThrow(/Cannot add on a Set/);
  });

  test('a selector’s own data is frozen', () => {
    const thing = store('thing', { list: [{ n: 1 }] });
    const made = thing.selector('made', (state) => ({ first: state.list[0], own: [{ n: 2 }], at: new Date(0) }));
    const runtime = createRuntime({ stores: [thing] });
    const value = runtime.read(made);
    expect(value.first).toBe(runtime.read(thing).list[0]);
    expect([Object.isFrozen(value), Object.isFrozen(value.own), Object.isFrozen(value.own[0])]).toEqual([
      true,
      true,
      true,
    ]);
  });
});

describe('what counts as a change', () => {
  const is = (before: unknown, after: unknown): string => {
    const thing = store('thing', () => ({ value: before }));
    const put = thing.action('put', (draft, next: unknown) => {
      draft.value = next;
    });
    return createRuntime({ stores: [thing] }).dispatch(put(after));
  };
  const map = (...rows: [unknown, unknown][]): Map<unknown, unknown> => new Map(rows);
  test.each<[unknown, unknown]>([
    [NaN, NaN],
    [new Date(5), new Date(5)],
    [new Date(NaN), new Date(NaN)],
    [map(['a', { n: [1] }]), map(['a', { n: [1] }])],
    [new Set([1, { n: 1 }]), new Set([1, { n: 1 }])],
    [
      { a: { b: 1 }, c: 2 },
      { c: 2, a: { b: 1 } },
    ],
    [
      [1, [2]],
      [1, [2]],
    ],
    [tableOf([['a', { n: 1 }]]), tableOf([['a', { n: 1 }]])],
    [Object.assign(Object.create(null) as object, { a: 1 }), { a: 1 }],
  ])('%p and %p are the same', (before, after) => {
    expect(is(before, after)).toBe('unchanged');
  });
  test.each<[unknown, unknown]>([
    [0, -0],
    [1, '1'],
    [1n, 1],
    [null, undefined],
    [new Date(5), new Date(6)],
    [new Date(5), 5],
    [map(['a', 1]), map(['a', 2])],
    [map(['a', 1]), map(['b', 1])],
    [map(['a', 1], ['b', 2]), map(['b', 2], ['a', 1])],
    [map(['a', 1]), map(['a', 1], ['b', 2])],
    [map(), new Set()],
    [new Set([1]), new Set([2])],
    [new Set([1]), new Set([1, 2])],
    [new Set(), map()],
    [[1], { 0: 1 }],
    [{ 0: 1 }, [1]],
    [[1, 2], [1]],
    [{ a: 1 }, { b: 1 }],
    [{ a: 1 }, { a: 1, b: 1 }],
    [{ a: undefined }, {}],
    [{ a: undefined }, { b: undefined }],
    [{}, new Date(0)],
    [new Date(0), {}],
    [null, {}],
    [{}, null],
    [tableOf([['a', 1]]), tableOf([['a', 2]])],
    [tableOf([['a', 1]]), new Map([['a', 1]])],
    [new Map([['a', 1]]), tableOf([['a', 1]])],
    [tableOf([['a', 1]]), { a: 1 }],
  ])('%p and %p are not', (before, after) => {
    expect(is(before, after)).toBe('applied');
  });
});

describe('snapshots as text', () => {
  test('every kind of value comes back from a snapshot text', () => {
    const state = {
      text: '</script><!--\u2028\u2029',
      date: new Date(86_400_000),
      never: new Date(NaN),
      numbers: [0, -0, NaN, Infinity, -Infinity, 1.5],
      big: [10n ** 20n, -1n],
      nothing: [undefined, null],
      map: new Map<unknown, unknown>([
        [1, { deep: new Set([new Date(1)]) }],
        [{ key: undefined }, -0],
      ]),
      tagged: { 'floe:type': 'date', value: 'not one', more: [{ 'floe:type': 'undefined', inner: 1n }] },
      table: tableOf<unknown>([
        ['__proto__', { at: new Date(2) }],
        ['10', 1],
        ['9', undefined],
      ]),
      ['__proto__']: 'own',
      flags: [true, false],
    };
    Object.defineProperty(state, '__proto__', { value: 'own', enumerable: true, writable: true, configurable: true });
    const thing = store('thing', () => state);
    const text = snapshotText(createRuntime({ stores: [thing] }));
    expect(text).not.toMatch(/<|\u2028|\u2029/);
    const again = createRuntime({ stores: [thing], initial: parseSnapshot(text) }).read(thing);
    const { never, ...others } = state;
    expect(again.never.getTime()).toBe(never.getTime());
    for (const key of Object.keys(others) as (keyof typeof state)[])
      expect([key, again[key]]).toEqual([key, state[key]]);
    expect(Object.is(again.numbers[1], -0)).toBe(true);
    expect(Object.hasOwn(again, '__proto__')).toBe(true);
    expect(Object.getPrototypeOf(again)).toBe(Object.prototype);
    expect(1 in again.nothing && again.nothing[0] === undefined).toBe(true);
    expect(Object.is(again.map.get([...again.map.keys()][1]), -0)).toBe(true);
    expect([...again.table.keys()]).toEqual(['__proto__', '10', '9']);
  });

  test.each([
    ['{', 'FLOE_BAD_SNAPSHOT', /JSON/],
    ['[]', 'FLOE_BAD_SNAPSHOT', /not an object with the states of stores/],
    ['null', 'FLOE_BAD_SNAPSHOT', /not an object with the states of stores/],
    ['7', 'FLOE_BAD_SNAPSHOT', /not an object with the states of stores/],
    ['{"a":{"floe:type":"vessel"}}', 'FLOE_BAD_SNAPSHOT', /unknown type 'vessel'/],
    ['{"a":{"floe:type":"map","value":7}}', 'FLOE_BAD_SNAPSHOT', /type 'map'/],
    ['{"a":{"floe:type":"bigint","value":"N2"}}', 'FLOE_BAD_SNAPSHOT', /type 'bigint'/],
    ['{"a":{"floe:type":{"toString":1}}}', 'FLOE_BAD_SNAPSHOT', /unknown type/],
    ['{"a":{"floe:type":"date","value":"noon"}}', 'FLOE_BAD_SNAPSHOT', /ISO 8601/],
    ['{"a":{"floe:type":"number","value":"N2"}}', 'FLOE_BAD_SNAPSHOT', /numbers/],
    ['{"a":{"floe:type":"object","value":["ab"]}}', 'FLOE_BAD_SNAPSHOT', /pairs/],
    [`{"a":${'['.repeat(100_000)}${']'.repeat(100_000)}}`, 'FLOE_BAD_SNAPSHOT', /nested too deep/],
  ])('%s is none', (text, code, why) => {
    const found = failure(() => createRuntime({ initial: parseSnapshot(text) }));
    expect(found.code).toBe(code);
    expect(found.message).toMatch(why);
  });

  test('data without special values is not copied', () => {
    const initial = { thing: { list: [{ n: 1 }] } };
    const thing = store('thing', { list: [] as { n: number }[] });
    expect(createRuntime({ stores: [thing], initial }).read(thing)).toBe(initial.thing);
  });
});

describe('keeping what did not change', () => {
  const { tree } = fc.letrec<{ tree: unknown; leaf: unknown }>((tie) => ({
    leaf: fc.oneof(
      fc.nat(2),
      fc.constantFrom('', 'a', null, undefined),
      fc.nat(1).map((n) => new Date(n)),
    ),
    tree: fc.oneof(
      { maxDepth: 4 },
      tie('leaf'),
      fc.array(tie('tree'), { maxLength: 4 }),
      fc.dictionary(fc.constantFrom('a', 'b', '__proto__'), tie('tree'), { noNullPrototype: true }),
    ),
  }));

  test('keeping gives equal data made of the parts that were there before', () => {
    fc.assert(
      fc.property(tree, tree, (before, after) => {
        const kept = keeping(before, after);
        expect(sameData(kept, after)).toBe(true);
        if (sameData(before, after)) expect(kept).toBe(before);
        // Of an object each part that is the same is the one of before.
        if (typeof before === 'object' && typeof kept === 'object' && before && kept && !Array.isArray(before))
          for (const [key, part] of Object.entries(kept as Record<string, unknown>))
            if (Object.hasOwn(before, key) && sameData((before as Record<string, unknown>)[key], part))
              expect(part).toBe((before as Record<string, unknown>)[key]);
        // Of a list each item is the one of before up to the first that differs, and after the last that does.
        if (Array.isArray(before) && Array.isArray(kept))
          for (let i = 0; i < Math.min(before.length, kept.length) && sameData(before[i], kept[i]); i++)
            expect(kept[i]).toBe(before[i]);
        if (Array.isArray(before) && Array.isArray(kept))
          for (let i = 1; i <= Math.min(before.length, kept.length) && sameData(before.at(-i), kept.at(-i)); i++)
            expect(kept.at(-i)).toBe(before.at(-i));
      }),
      { numRuns: runs(2000) },
    );
  });
});
