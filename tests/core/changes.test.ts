// What a change may do, what comes of it, and the rules that must hold after it.
import { describe, expect, test } from '@jest/globals';
import { action, createRuntime, selector, store } from 'floe';
import { recording } from 'floe/trace';
import { recorded } from '../support/counter.js';
import { codeOf, failure } from '../support/failures.js';

describe('a transition', () => {
  const shiftEnded = action('shiftEnded');

  test('changes every store that handles, as one, and tells the watchers once', () => {
    const { counter, added, log, runtime } = recorded();
    counter.when(shiftEnded, (draft) => void (draft.n = 0));
    log.when(shiftEnded, (draft) => void draft.lines.push('shift ended'));
    runtime.dispatch(added(1));
    const both = selector('both', (read) => [read(counter).n, read(log).lines.length] as const, { equal: 'deep' });
    const seen: unknown[] = [];
    runtime.watch(both, (now, before) => seen.push([before, now]));
    expect(runtime.dispatch(shiftEnded())).toBe('applied');
    expect(seen).toEqual([
      [
        [1, 0],
        [0, 1],
      ],
    ]);
    expect(runtime.dispatch(added(0))).toBe('unchanged');
    expect(seen).toHaveLength(1);
  });

  test('an object that stands at two places is two values', () => {
    const shared = { n: 1 };
    const pair = store('pair', { a: shared, b: shared });
    const edited = pair.action('edited', (draft) => {
      draft.a.n = 2;
    });
    const runtime = createRuntime({ stores: [pair] });
    runtime.dispatch(edited());
    expect(runtime.read(pair)).toEqual({ a: { n: 2 }, b: { n: 1 } });
  });
});

describe('several changes of a store for one action', () => {
  const declare = (second: (draft: { n: number; m: number; list: number[]; made?: unknown }) => unknown) => {
    const thing = store('thing', { n: 0, m: 0, list: [1, 2] } as {
      n: number;
      m: number;
      list: number[];
      made?: unknown;
    });
    const done = thing.action('done', (draft) => {
      draft.n++;
      draft.list[0]++;
    });
    thing.when(done, second as never);
    return { thing, done, runtime: createRuntime({ stores: [thing], trace: recording() }) };
  };

  test('several changes for one action are recorded as one', () => {
    const { done, runtime } = declare((draft) => {
      draft.m++;
      draft.list[1]++;
    });
    runtime.dispatch(done());
    expect(runtime.trace.steps.at(-1)!.changes.map(({ path }) => path)).toEqual([
      '/thing/n',
      '/thing/m',
      '/thing/list/0',
      '/thing/list/1',
    ]);
  });

  test('several changes that cancel each other are no change', () => {
    const { thing, done, runtime } = declare((draft) => {
      draft.n--;
      draft.list[0]--;
    });
    const before = runtime.read(thing);
    expect(runtime.dispatch(done())).toBe('unchanged');
    expect(runtime.read(thing)).toBe(before);
  });

  test('several changes for one action end in frozen plain data', () => {
    const { thing, done, runtime } = declare((draft) => {
      draft.made = { deep: [] };
    });
    runtime.dispatch(done());
    expect(Object.isFrozen((runtime.read(thing).made as { deep: unknown }).deep)).toBe(true);
    const wrong = declare((draft) => ({ ...draft, made: () => 1 }));
    const { code, path, message } = failure(() => wrong.runtime.dispatch(wrong.done()));
    expect([code, path]).toEqual(['FLOE_NOT_PLAIN_DATA', '/made']);
    expect(message).toContain("The state of 'thing' after 'thing.done'");
    expect(wrong.runtime.read(wrong.thing).n).toBe(0);
  });
});

test.each<[string, string, string, (draft: { n: number }) => unknown]>([
  ['is async', 'FLOE_ASYNC_CHANGE', "for 'counter.bad'", async () => Promise.resolve()],
  ['edits and returns', 'FLOE_EDITED_AND_RETURNED', "for 'counter.bad'", (draft) => ({ n: draft.n++ })],
  [
    'throws',
    'FLOE_CHANGE_FAILED',
    "for 'counter.bad' threw: no",
    (draft) => {
      draft.n++;
      throw new Error('no');
    },
  ],
  [
    'returns what contains itself',
    'FLOE_NOT_PLAIN_DATA',
    'an object that contains itself',
    () => {
      const circle: { self?: unknown } = {};
      return Object.assign(circle, { self: circle });
    },
  ],
  [
    'returns an instance of a class',
    'FLOE_NOT_PLAIN_DATA',
    "The state of 'counter' after 'counter.bad'",
    () => ({ at: new URL('http://127.0.0.1/') }),
  ],
])('a change that %s has no effect: %s', (_what, code, text, change) => {
  const { counter, runtime } = recorded();
  const before = runtime.read(counter);
  const bad = counter.action('bad', change as never);
  const found = failure(() => runtime.dispatch(bad()));
  expect([found.code, found.message]).toEqual([code, expect.stringContaining(text)]);
  expect(runtime.read(counter)).toBe(before);
});

test('a draft that leaked is an error, in a later change too', () => {
  const thing = store('thing', { n: 0 });
  let leaked: { n: number } | undefined;
  const first = thing.action('first', (draft) => {
    leaked = draft;
    draft.n++;
  });
  const later = thing.action('later', () => {
    leaked!.n = 7;
  });
  const runtime = createRuntime({ stores: [thing] });
  runtime.dispatch(first());
  expect(codeOf(() => leaked!.n)).toBe('FLOE_DRAFT_ENDED');
  expect(codeOf(() => (leaked!.n = 7))).toBe('FLOE_DRAFT_ENDED');
  expect(codeOf(() => runtime.dispatch(later()))).toBe('FLOE_DRAFT_ENDED');
  expect(runtime.read(thing).n).toBe(1);
});

test('checkPurity finds a change that gives two results', () => {
  let n = 0;
  const thing = store('thing', { list: [] as number[], at: 0 });
  const impure = thing.action('impure', (draft) => {
    draft.list.push(n++);
  });
  const pure = thing.action('pure', (draft) => {
    draft.at++;
  });
  const runtime = createRuntime({ stores: [thing], checkPurity: true });
  expect(runtime.dispatch(pure())).toBe('applied');
  expect(() => runtime.dispatch(impure())).toThrow(
    expect.objectContaining({ code: 'FLOE_IMPURE_CHANGE', path: '/list/0' }),
  );
});

describe('rule 1: invariants', () => {
  test('a broken rule is reported on the step that broke it', () => {
    const { counter, added, runtime, problems } = recorded();
    counter.invariant('small', ({ n }) => n < 3);
    runtime.dispatch(added(2));
    runtime.dispatch(added(2));
    expect(runtime.read(counter).n).toBe(4);
    expect(problems).toMatchObject([{ error: { code: 'FLOE_INVARIANT_BROKEN' }, action: { type: 'counter.added' } }]);
    expect(runtime.trace.steps.map(({ problems: found }) => found?.length ?? 0)).toEqual([0, 0, 1]);
  });

  test('a refused action changes nothing', () => {
    const { counter, added, runtime, outcomes } = recorded({ invariants: 'refuse' });
    counter.invariant('small', ({ n }) => n < 3);
    expect(codeOf(() => runtime.dispatch(added(5)))).toBe('FLOE_INVARIANT_BROKEN');
    expect([runtime.read(counter).n, outcomes()]).toEqual([0, ['refused']]);
    const why = new Error('on purpose');
    counter.invariant('fails', () => {
      throw why;
    });
    expect(() => runtime.dispatch(added(1))).toThrow(
      expect.objectContaining({ code: 'FLOE_INVARIANT_BROKEN', cause: why }) as never,
    );
  });
});
