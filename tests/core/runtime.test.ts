import { describe, expect, jest, test } from '@jest/globals';
import { action, at, createRuntime, selector, store, type AnyAction, type Problem } from 'floe';
import { codeOf } from '../support/failures.js';

interface Visit {
  id: string;
  phase: 'expected' | 'alongside' | 'departed';
}

const shiftEnded = action('shiftEnded');
const model = () => {
  const visits = store('visits', {
    list: [{ id: 'v1', phase: 'expected' }] as Visit[],
    picked: null as string | null,
    day: new Date(0),
  });
  const planned = visits.action('planned', (draft, visit: Visit) => {
    draft.list.push(visit);
  });
  const picked = visits.action('picked', (draft, id: string | null) => {
    draft.picked = id;
  });
  const cleared = visits.action('cleared', (draft) => {
    draft.picked = null;
  });
  visits.when(shiftEnded, (draft) => {
    draft.picked = null;
  });
  const expected = visits.selector('expected', (state) => state.list.filter((visit) => visit.phase === 'expected'));
  const byId = visits.selector('byId', (state, id: string) => state.list.find((visit) => visit.id === id));
  return { visits, planned, picked, cleared, expected, byId };
};

describe('a transition', () => {
  test('changes every store that answers, as one, and tells those who watch once', () => {
    const { visits, picked } = model();
    const log = store('log', { lines: [] as string[] });
    log.when(shiftEnded, (draft) => {
      draft.lines.push('shift ended');
    });
    const runtime = createRuntime({ stores: [visits, log] });
    runtime.dispatch(picked('v1'));
    const both = selector('both', (read) => [read(visits).picked, read(log).lines.length] as const, { equal: 'deep' });
    const seen: unknown[] = [];
    runtime.watch(both, (now, before) => seen.push([before, now]));
    expect(runtime.dispatch(shiftEnded())).toBe('applied');
    expect(seen).toEqual([
      [
        ['v1', 0],
        [null, 1],
      ],
    ]);
    expect(runtime.dispatch(picked(null))).toBe('unchanged');
    expect(seen).toHaveLength(1);
  });

  test('touches no store when one of the changes throws, and says which', () => {
    const { visits, picked } = model();
    const log = store('log', { lines: [] as string[] });
    log.when(shiftEnded, () => {
      throw new RangeError('no paper');
    });
    const runtime = createRuntime({ stores: [visits, log] });
    runtime.dispatch(picked('v1'));
    const before = runtime.snapshot();
    expect(() => runtime.dispatch(shiftEnded())).toThrow(
      expect.objectContaining({
        code: 'FLOE_CHANGE_FAILED',
        message: expect.stringMatching(/'log'.*'shiftEnded'.*no paper/),
      }),
    );
    expect(runtime.snapshot()).toEqual(before);
    expect(runtime.read(visits)).toBe(before.visits);
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

  test('keys like __proto__ and constructor are ordinary data', () => {
    const map = store('map', { of: JSON.parse('{"__proto__":{"x":1}}') as Record<string, { x: number }> });
    const put = map.action('put', (draft, key: string) => {
      draft.of[key] = { x: 2 };
    });
    const reached = map.selector('reached', (state, key: string) => state.of[key]?.x);
    const runtime = createRuntime({ stores: [map] });
    expect(runtime.read(reached('__proto__'))).toBe(1);
    expect(runtime.read(reached('constructor'))).toBe(undefined);
    runtime.dispatch(put('__proto__'));
    runtime.dispatch(put('constructor'));
    expect(Object.keys(runtime.read(map).of)).toEqual(['__proto__', 'constructor']);
    expect(runtime.read(reached('__proto__'))).toBe(2);
    expect(({} as { x?: number }).x).toBe(undefined);
  });

  test('an action creator drops what its change does not declare, and keeps what has a default', () => {
    const { visits, cleared } = model();
    const dated = visits.action('dated', (draft, n: number = 3) => {
      draft.picked = String(n);
    });
    expect((cleared as (event: object) => AnyAction)({ type: 'click' })).toEqual({ type: 'visits.cleared' });
    expect(Object.keys(cleared())).toEqual(['type']);
    expect(dated(4)).toEqual({ type: 'visits.dated', payload: 4 });
    expect((shiftEnded as (event: object) => AnyAction)({ preventDefault: () => 0 })).toStrictEqual({
      type: 'shiftEnded',
    });
    expect(JSON.stringify(dated(4))).toBe('{"type":"visits.dated","payload":4}');
    expect(dated.made(dated(1)) && !cleared.made(dated(1))).toBe(true);
  });
});

describe('bad input is refused with a code, and state stays', () => {
  const { visits, planned, cleared } = model();
  const runtime = createRuntime({ stores: [visits], onProblem: () => undefined });
  const before = runtime.read(visits);
  const added = (name: string, change: (draft: never) => unknown): AnyAction => visits.action(name, change as never)();
  const cyclic: { self?: unknown } = {};
  cyclic.self = cyclic;

  test.each<[string, string, () => unknown]>([
    ['FLOE_ASYNC_CHANGE', 'an async change', () => runtime.dispatch(added('bad1', async () => Promise.resolve()))],
    [
      'FLOE_EDITED_AND_RETURNED',
      'a change that edits and returns',
      () =>
        runtime.dispatch(
          added('bad2', (draft: { picked: string }) => {
            draft.picked = 'x';
            return { list: [] };
          }),
        ),
    ],
    [
      'FLOE_CHANGE_FAILED',
      'a change that throws',
      () =>
        runtime.dispatch(
          added('bad3', (draft: { picked: string }) => {
            draft.picked = 'x';
            throw new Error('no');
          }),
        ),
    ],
    [
      'FLOE_NOT_PLAIN_DATA',
      'a function in the payload',
      () => runtime.dispatch(planned({ id: 'v2', phase: (() => 1) as never })),
    ],
    ['FLOE_NOT_PLAIN_DATA', 'a cycle in the state', () => runtime.dispatch(added('bad4', () => cyclic))],
    [
      'FLOE_NOT_PLAIN_DATA',
      'a class instance',
      () => runtime.dispatch(added('bad6', () => ({ at: new URL('http://127.0.0.1/') }))),
    ],
    ['FLOE_UNKNOWN_ACTION', 'an action with a wrong name', () => runtime.dispatch({ type: 'visits.planed' })],
    ['FLOE_NOT_AN_ACTION', 'the creator itself', () => runtime.dispatch(cleared as never)],
    ['FLOE_NOT_AN_ACTION', 'nothing', () => runtime.dispatch(undefined as never)],
    [
      'FLOE_NOT_A_SOURCE',
      'a selector without its arguments',
      () => runtime.read(visits.selector('some', (_state, _id: string) => 1) as never),
    ],
    ['FLOE_NOT_A_SOURCE', 'something that cannot be read', () => runtime.read({} as never)],
    ['FLOE_NAME_TAKEN', 'two stores of one name', () => createRuntime({ stores: [visits, store('visits', 0)] })],
    [
      'FLOE_BAD_ARGUMENT',
      'a function as a selector argument',
      () => runtime.read(visits.selector('odd', (_s, _f: () => void) => 1)(() => undefined)),
    ],
    [
      'FLOE_WRONG_PLACE',
      'a dispatch in a change',
      () =>
        runtime.dispatch(
          added('bad8', () => {
            runtime.dispatch(cleared());
          }),
        ),
    ],
    [
      'FLOE_WRONG_PLACE',
      'a dispatch in a selector',
      () => runtime.read(selector('dispatching', () => runtime.dispatch(cleared()))),
    ],
    ['FLOE_BAD_SNAPSHOT', 'a snapshot that is not JSON', () => createRuntime({ initial: '{' })],
  ])('%s: %s', (code, _what, work) => {
    expect(codeOf(work)).toBe(code);
    expect(runtime.read(visits)).toBe(before);
  });

  test('what leaves the runtime and what was dispatched is frozen', () => {
    const visit: Visit = { id: 'v9', phase: 'expected' };
    const own = model();
    const other = createRuntime({ stores: [own.visits] });
    other.dispatch(own.planned(visit));
    expect(() => (visit.phase = 'departed')).toThrow(TypeError);
    expect(() => other.read(own.visits).list.push(visit)).toThrow(TypeError);
    expect(() => other.read(own.expected).sort()).toThrow(TypeError);
    expect(() => other.read(own.visits).day.setTime(5)).toThrow(/Cannot setTime/);
  });
});

describe('watching', () => {
  test('a watcher hears only of its own part, with now and before', () => {
    const { visits, planned, picked, byId, expected } = model();
    const runtime = createRuntime({ stores: [visits] });
    const heard: unknown[] = [];
    const stop = runtime.watch(byId('v2'), (now, before) => heard.push([before, now]), { now: true });
    runtime.dispatch(picked('v1'));
    const visit: Visit = { id: 'v2', phase: 'expected' };
    runtime.dispatch(planned(visit));
    stop();
    runtime.dispatch(picked(null));
    expect(heard).toEqual([
      [undefined, undefined],
      [undefined, visit],
    ]);
    expect(runtime.read(byId('v2'))).toBe(runtime.read(visits).list[1]);
    expect(runtime.read(expected)[1]).toBe(runtime.read(visits).list[1]);
  });

  test('a selector runs again only if something that it read changed', () => {
    const { visits, picked, planned } = model();
    const derive = jest.fn((state: { list: Visit[] }) => state.list.map((visit) => visit.id));
    const ids = visits.selector('ids', derive);
    const runtime = createRuntime({ stores: [visits] });
    const first = runtime.read(ids);
    runtime.dispatch(picked('v1'));
    expect(runtime.read(ids)).toBe(first);
    const moved = visits.action('moved', (draft) => {
      draft.list[0].phase = 'departed';
    });
    runtime.dispatch(moved());
    expect(runtime.read(ids)).toBe(first);
    expect(derive).toHaveBeenCalledTimes(1);
    runtime.dispatch(planned({ id: 'v2', phase: 'expected' }));
    expect(runtime.read(ids)).toEqual(['v1', 'v2']);
    expect(derive).toHaveBeenCalledTimes(2);
  });

  test('a watcher that throws harms no other and is reported', () => {
    const { visits, picked } = model();
    const problems: Problem[] = [];
    const runtime = createRuntime({ stores: [visits], onProblem: (problem) => problems.push(problem) });
    const heard: unknown[] = [];
    const source = at(visits, '/picked');
    runtime.watch(source, () => {
      throw new Error('broken');
    });
    runtime.watch(source, (now) => heard.push(now));
    runtime.dispatch(picked('v1'));
    expect(heard).toEqual(['v1']);
    expect(problems).toEqual([{ error: new Error('broken') }]);
  });

  test('a dispatch in a watcher comes after the present notification; an endless loop is stopped by name', () => {
    const { visits, picked } = model();
    const runtime = createRuntime({ stores: [visits] });
    const order: string[] = [];
    const source = at(visits, '/picked');
    runtime.watch(source, (now) => {
      if (now === 'v1') order.push(runtime.dispatch(picked('v2')));
      order.push(`first ${String(now)}`);
    });
    runtime.watch(source, (now) => order.push(`second ${String(now)}`));
    runtime.dispatch(picked('v1'));
    expect(order).toEqual(['queued', 'first v1', 'second v1', 'first v2', 'second v2']);
    let n = 0;
    const stop = runtime.watch(source, () => runtime.dispatch(picked(`x${n++}`)));
    expect(() => runtime.dispatch(picked('go'))).toThrow(/'visits.picked' went round without end/);
    stop();
    expect(runtime.dispatch(picked('v2'))).toBe('applied');
  });

  test('follow runs again when something that it read changed, and may dispatch', () => {
    const { visits, picked, planned, expected } = model();
    const runtime = createRuntime({ stores: [visits] });
    const seen: number[] = [];
    const stop = runtime.follow((read) => {
      seen.push(read(expected).length);
      if (read(expected).length === 2) runtime.dispatch(picked('v2'));
    });
    runtime.dispatch(picked('v1'));
    runtime.dispatch(planned({ id: 'v2', phase: 'expected' }));
    stop();
    runtime.dispatch(planned({ id: 'v3', phase: 'expected' }));
    expect(seen).toEqual([1, 2]);
    expect(runtime.read(visits).picked).toBe('v2');
  });
});

test('runtimes side by side are isolated, and a closed one says so', () => {
  const { visits, picked } = model();
  const [one, other] = [createRuntime({ stores: [visits] }), createRuntime({ stores: [visits] })];
  one.dispatch(picked('v1'));
  expect(other.read(visits).picked).toBe(null);
  one.close();
  expect(codeOf(() => one.dispatch(picked(null)))).toBe('FLOE_CLOSED');
  expect(other.dispatch(picked('v1'))).toBe('applied');
});
