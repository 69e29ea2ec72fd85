// The corners of drafts, one at a time; draft.property.test.ts has them in long programs.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, store } from 'floe';
import { tableOf } from 'floe/entities';
import { recording } from 'floe/trace';
import { failure } from '../support/failures.js';

// A state of all kinds of parts; a change may do anything with it.
/* eslint-disable @typescript-eslint/no-explicit-any, no-self-assign, no-prototype-builtins */
const initial = () => ({
  n: 0,
  none: undefined as unknown,
  a: { n: 0, inner: { n: 0 } },
  b: { n: 0 },
  list: [{ n: 1 }, { n: 2 }, { n: 3 }] as any[],
});
type Change = (draft: any, payload?: any) => unknown;

function done(change: Change, payload?: unknown) {
  const thing = store('thing', initial as () => any);
  const act = thing.action('done', (draft, given: unknown) => change(draft, given));
  const runtime = createRuntime({ stores: [thing], trace: recording() });
  const before = runtime.read(thing);
  const outcome = runtime.dispatch(act(payload));
  const { changes } = runtime.trace.steps.at(-1)!;
  return {
    before,
    after: runtime.read(thing),
    outcome,
    reported: changes.map(({ op, path }) => `${op} ${path.slice(6)}`),
  };
}
const refused = (change: Change) => failure(() => done(change));

describe('what a draft says of itself', () => {
  test('a draft describes itself as its data does', () => {
    done((draft) => {
      expect(['n' in draft, 'none' in draft, 'other' in draft, 0 in draft.list, 3 in draft.list]).toEqual([
        true,
        true,
        false,
        true,
        false,
      ]);
      expect(Object.getOwnPropertyDescriptor(draft, 'n')).toEqual({
        value: 0,
        writable: true,
        enumerable: true,
        configurable: true,
      });
      expect(Object.getOwnPropertyDescriptor(draft.list, 'length')).toMatchObject({ value: 3, enumerable: false });
      expect([draft.constructor, draft.__proto__, draft.a.constructor]).toEqual([undefined, undefined, undefined]);
      expect([draft.list.constructor, draft.list.__proto__]).toEqual([undefined, undefined]);
      expect(draft.hasOwnProperty('n')).toBe(true);
      expect([draft[Symbol.iterator], String(draft), String(draft.list)]).toEqual([
        undefined,
        '[object Object]',
        '[object Object],[object Object],[object Object]',
      ]);
      expect(Object.getPrototypeOf(draft)).toBe(Object.prototype);
    });
  });
});

describe('no change', () => {
  const changes: Record<string, Change> = {
    'what is there, assigned': (draft) => {
      draft.n = 0;
      draft.none = undefined;
      draft.a = draft.a;
    },
    'there and back in a part, beside it, and beside what was looked at': (draft) => {
      const { a, b } = draft;
      for (const change of [1, -1]) {
        draft.n = Number(draft.n) + change;
        a.n = Number(a.n) + change;
      }
      expect([a.inner.n, b.n]).toEqual([0, 0]);
    },
    'the same data in a new object, edited there and back': (draft) => {
      draft.b = { n: 0 };
      draft.b.n++;
      draft.b.n--;
    },
    'a key put in and taken out, and one that is not there': (draft) => {
      for (const key of ['other', '__proto__']) {
        draft[key] = 1;
        delete draft[key];
      }
      delete draft.another;
    },
    'an item put in and taken out': (draft) => {
      draft.list.push({ n: 4 });
      draft.list.pop();
      draft.list.length = 3;
    },
    'items moved there and back': (draft) => {
      draft.list.reverse();
      draft.list.reverse();
    },
  };
  test.each(Object.entries(changes))('%s', (_name, change) => {
    const { before, after, outcome, reported } = done(change);
    expect([outcome, reported]).toEqual(['unchanged', []]);
    expect(after).toBe(before);
  });

  test('a key with the value undefined is a change', () => {
    expect(done((draft) => void (draft.other = undefined)).reported).toEqual(['add /other']);
  });

  test('an edit that changes nothing allows another state to be returned', () => {
    const { after } = done((draft) => {
      draft.n = 0;
      draft.none = undefined;
      delete draft.other;
      return { n: 5 };
    });
    expect(after).toEqual({ n: 5 });
  });

  test('a change that puts a former part back is no change', () => {
    const { a } = initial();
    const thing = store('thing', { a });
    const back = thing.action('back', (draft, was: typeof a) => {
      draft.a.n = 7;
      draft.a = was;
    });
    const looked = thing.action('looked', (draft, was: typeof a) => {
      draft.a = { n: 7, inner: { n: 7 } };
      draft.a = was;
      expect(draft.a.inner.n).toBe(0);
    });
    const runtime = createRuntime({ stores: [thing] });
    for (const act of [back, looked]) expect(runtime.dispatch(act(runtime.read(thing).a))).toBe('unchanged');
  });
});

describe('data that came in', () => {
  test('new data holds no draft after the change', () => {
    const { after } = done((draft) => {
      draft.boxed = { inner: { deep: draft.a } };
      expect(draft.boxed.inner.deep.n).toBe(0);
      draft.b = { ref: draft.a };
      draft.list.unshift({ ref: draft.a }, draft.a);
      expect([draft.b.ref.n, draft.list[0].ref.n, draft.list[1].n]).toEqual([0, 0, 0]);
      for (const ref of [draft.b.ref, draft.list[0].ref, draft.list[1]]) expect(ref === draft.a).toBe(true);
      draft.list.splice(1, 1);
      draft.list.reverse();
      draft.table = tableOf([
        ['x', { ref: draft.a }],
        ['y', draft.a.inner],
      ]);
      draft.frozen = Object.freeze({ one: draft.a, two: draft.a });
      draft.a.n = 1;
    });
    const parts = [
      ...Object.values(after.frozen),
      after.boxed.inner.deep,
      after.b.ref,
      after.list[3].ref,
      after.table.get('x').ref,
    ];
    for (const part of parts) expect(part).toBe(after.a);
    expect(after.table.get('y')).toBe(after.a.inner);
  });

  test('a draft of another change is refused', () => {
    let leaked: unknown;
    done((draft) => void (leaked = draft.a));
    expect(refused((draft) => void (draft.b = leaked)).code).toBe('FLOE_DRAFT_ENDED');
    expect(refused((draft) => void draft.list.push({ leaked })).code).toBe('FLOE_DRAFT_ENDED');
  });
});

describe('leaf values', () => {
  test('leaf values leave a draft as they are', () => {
    const date = new Date(0);
    const { after } = done((draft) => {
      Object.assign(draft, { date, dates: [date, null, { n: 1 }] });
      expect([draft.date, draft.dates[0]]).toEqual([date, date]);
    });
    const thing = store('kept', { dates: after.dates as any[], date: after.date as Date });
    const looked = thing.action('looked', (draft) => {
      expect([draft.date.getTime(), draft.dates[0].getTime()]).toEqual([0, 0]);
      expect(draft.dates.shift().getTime()).toBe(0);
      expect([draft.dates.splice(0, 1), draft.dates.pop()]).toEqual([[null], { n: 1 }]);
      expect([draft.dates.pop(), draft.dates.length]).toEqual([undefined, 0]);
    });
    const runtime = createRuntime({ stores: [thing] });
    runtime.dispatch(looked());
    expect(runtime.read(thing)).toEqual({ date, dates: [] });
  });
});

describe('lists', () => {
  test('array methods visit a list that becomes shorter as a plain array does', () => {
    const ways = ['forEach', 'map', 'filter', 'find', 'findIndex', 'some', 'every'] as const;
    done((draft) => {
      const answers = ways.map((way) => {
        draft.cut = [1, 2, 3];
        let asked = 0;
        const answer = draft.cut[way]((_item: unknown, at: number) => {
          asked++;
          if (at === 1) draft.cut.length = 1;
          return way === 'every';
        });
        return [asked, answer];
      });
      expect(answers).toEqual([
        [2, undefined],
        [2, [false, false, undefined]],
        [2, []],
        [3, undefined],
        [3, -1],
        [2, false],
        [2, true],
      ]);
      const found = ways.slice(3).map((way) => draft.list[way]((item: any) => item.n === 2));
      expect(found.slice(1)).toEqual([1, true, false]);
      draft.cut = [];
      expect(() => draft.cut.reduce(() => 1)).toThrow('Reduce of empty array with no initial value');
      expect(draft.cut.reduce(() => 1, 0)).toBe(0);
      expect(found[0]).toBe(draft.list[1]);
    });
  });
});

const notPlain = 'The state after this change is not plain data: ';
test.each<[string, Change, string, string]>([
  ['a longer list', (draft) => void (draft.list.length = 5), 'FLOE_NOT_PLAIN_DATA', `${notPlain}the value at /3 is an`],
  ['an item behind the end', (draft) => void (draft.list[5] = 1), 'FLOE_NOT_PLAIN_DATA', `${notPlain}the value at /3`],
  ['a name on a list', (draft) => void (draft.list.name = 1), 'FLOE_DRAFT_MISUSE', "set 'name' on an array: an array"],
  ['an index that is none', (draft) => void (draft.list['01'] = 1), 'FLOE_DRAFT_MISUSE', "cannot set '01'"],
  ['an index with a letter', (draft) => void (draft.list['1x'] = 1), 'FLOE_DRAFT_MISUSE', "cannot set '1x'"],
  ['an index after a letter', (draft) => void (draft.list.x1 = 1), 'FLOE_DRAFT_MISUSE', "cannot set 'x1'"],
  ['a symbol on a list', (draft) => void (draft.list[Symbol('s')] = 1), 'FLOE_DRAFT_MISUSE', "cannot set 'Symbol(s)'"],
  [
    'a hole',
    (draft) => void Reflect.deleteProperty(draft.list, 0),
    'FLOE_DRAFT_MISUSE',
    'delete an item of an array: that would',
  ],
  [
    'a symbol as a key',
    (draft) => void (draft[Symbol('s')] = 1),
    'FLOE_NOT_PLAIN_DATA',
    `${notPlain}it is an object with a symbol as`,
  ],
  ['an attribute', (draft) => void Object.defineProperty(draft, 'n', {}), 'FLOE_DRAFT_MISUSE', 'define a property'],
  ['a prototype', (draft) => void Object.setPrototypeOf(draft, null), 'FLOE_DRAFT_MISUSE', 'prototype: state is plain'],
  ['freezing', (draft) => void Object.freeze(draft.list), 'FLOE_DRAFT_MISUSE', 'be frozen: the state'],
  [
    'a circle',
    (draft) => void (draft.a.again = { a: draft.a }),
    'FLOE_NOT_PLAIN_DATA',
    `${notPlain}the value at /a is an object that`,
  ],
  [
    'a circle of new data',
    (draft) => {
      const circle: { inside?: unknown } = {};
      circle.inside = { circle };
      draft.a.circle = circle;
    },
    'FLOE_NOT_PLAIN_DATA',
    `${notPlain}the value at /a/circle/inside/circle is an object that`,
  ],
])('%s is refused', (_name, change, code, text) => {
  const found = refused(change);
  expect([found.code, found.message]).toEqual([code, expect.stringContaining(text)]);
});

test('a part that is equal afterwards stays the same object, whatever else in the list changes', () => {
  const cases: Change[] = [
    (draft) => {
      draft.list.splice(0, 1, { n: 1 });
      draft.list[2].n = 9;
    },
    (draft) => {
      draft.list[0] = { n: 1 };
      draft.list.splice(2, 1);
    },
    (draft) => {
      draft.a = { n: 5, inner: { n: 0 } };
    },
  ];
  for (const change of cases) {
    const { before, after } = done(change);
    expect([after.list[0] === before.list[0], after.a.inner === before.a.inner]).toEqual([true, true]);
  }
});

test('copyWithin and a length of a list do what they do with a plain list, also after its items were read', () => {
  const copied = done((draft) => {
    expect([draft.list[0].n, draft.list[1].n]).toEqual([1, 2]);
    draft.list.copyWithin(0, 1);
    draft.list[0].n = 7;
  });
  expect(copied.after.list).toEqual([{ n: 7 }, { n: 3 }, { n: 3 }]);
  for (const length of ['abc', -1, 1.5, 2 ** 32]) {
    const { code, message } = refused((draft) => void (draft.list.length = length));
    expect([code, message]).toEqual(['FLOE_CHANGE_FAILED', expect.stringContaining('Invalid array length')]);
  }
});

test('array methods take a `this` and give plain arrays', () => {
  const { after } = done((draft) => {
    const self = { twice: 2 };
    const doubled = draft.list.map(function (this: typeof self, { n }: { n: number }) {
      return n * this.twice;
    }, self);
    expect([Array.isArray(doubled), ...doubled]).toEqual([true, 2, 4, 6]);
    draft.list = draft.list.filter((item: { n: number }) => item.n !== 2);
    expect(draft.list.find((item: { n: number }) => item.n === 2)).toBeUndefined();
    draft.list.find((item: { n: number }) => item.n === 3).n = 30;
    expect([...draft.list.values(), ...draft.list].map(({ n }) => n)).toEqual([1, 30, 1, 30]);
    expect([draft.list['01'], draft.list['1e0'], draft.list['-1'], draft.list['']]).toEqual(Array(4).fill(undefined));
  });
  expect(after.list).toEqual([{ n: 1 }, { n: 30 }]);
});

test('a method of a list on something else is a TypeError', () => {
  const { code, message } = refused((draft) => void draft.list.push.call([], 1));
  expect([code, message]).toEqual(['FLOE_CHANGE_FAILED', expect.stringContaining('An array method of a draft')]);
  expect(done((draft) => void Array.prototype.push.call(draft.list, 4)).after.list[3]).toBe(4);
});
