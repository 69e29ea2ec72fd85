// The rules where features meet, each with a test named after it.
import { describe, expect, jest, test } from '@jest/globals';
import {
  action,
  at,
  createRuntime,
  defaultRuntime,
  FloeError,
  selector,
  store,
  type Interceptor,
  type Problem,
} from 'floe';
import { recording } from 'floe/trace';

const model = () => {
  const counter = store('counter', { n: 0, m: 0 });
  const added = counter.action('added', (draft, by: number) => {
    if (by < 0) throw new RangeError('below zero');
    draft.n += by;
  });
  const asked = counter.action(
    'asked',
    (draft) => {
      draft.m++;
    },
    { about: { confirm: 'Really?' } },
  );
  return { counter, added, asked };
};
const outcomes = (runtime: { trace: { steps: readonly { outcome: string }[] } }): string[] =>
  runtime.trace.steps.map(({ outcome }) => outcome).slice(1);
const codeOf = (work: () => unknown): unknown => {
  try {
    return work();
  } catch (error) {
    return error instanceof FloeError ? error.code : error;
  }
};

describe('rule 2: atomic', () => {
  test('many dispatches stand together, tell once, and share a group', () => {
    const { counter, added } = model();
    const runtime = createRuntime({ stores: [counter], trace: recording() });
    const heard: number[] = [];
    runtime.watch(at(counter, '/n', 0), (n) => heard.push(n));
    const result = runtime.atomic(() => {
      runtime.dispatch(added(1));
      expect(runtime.read(counter).n).toBe(1);
      return runtime.dispatch(added(2));
    });
    expect([result, heard, runtime.read(counter).n]).toEqual(['applied', [3], 3]);
    expect(runtime.trace.steps.slice(1).map(({ group }) => group)).toEqual([1, 1]);
  });

  test('when it throws, all are taken back and recorded so', () => {
    const { counter, added } = model();
    const late = store('late', { x: 0 });
    const runtime = createRuntime({ stores: [counter], trace: recording() });
    const before = runtime.read(counter);
    const heard = jest.fn();
    runtime.watch(counter, heard);
    expect(() =>
      runtime.atomic(() => {
        runtime.dispatch(added(1));
        runtime.read(late);
        runtime.reset();
        runtime.dispatch(added(-1));
      }),
    ).toThrow('below zero');
    expect(runtime.read(counter)).toBe(before);
    expect(heard).not.toHaveBeenCalled();
    expect(runtime.trace.steps.map(({ fact, outcome }) => [fact, outcome])).toEqual([
      ['initial', 'applied'],
      [undefined, 'reverted'],
      ['joined', 'applied'],
      [undefined, 'reverted'],
    ]);
    runtime.trace.back();
    runtime.trace.live();
    expect(runtime.snapshot()).toEqual({ counter: { n: 0, m: 0 }, late: { x: 0 } });
  });

  test('rules are judged once, at its end; an async function or a waiting interceptor is an error', () => {
    const { counter, added } = model();
    counter.invariant('even', ({ n }) => n % 2 === 0);
    const runtime = createRuntime({ stores: [counter], invariants: 'refuse' });
    runtime.atomic(() => {
      runtime.dispatch(added(1));
      runtime.dispatch(added(1));
    });
    expect(codeOf(() => runtime.atomic(() => runtime.dispatch(added(1))))).toBe('FLOE_INVARIANT_BROKEN');
    expect(codeOf(() => runtime.atomic(() => Promise.resolve()))).toBe('FLOE_ASYNC_IN_ATOMIC');
    const remove = runtime.addInterceptor('slow', () => undefined);
    expect(codeOf(() => runtime.atomic(() => runtime.dispatch(added(2))))).toBe('FLOE_ASYNC_IN_ATOMIC');
    remove();
    expect(runtime.read(counter).n).toBe(2);
  });
});

test('rule 2: batch gathers notifications and keeps the steps apart', () => {
  const { counter, added } = model();
  const runtime = createRuntime({ stores: [counter], trace: recording() });
  const heard: unknown[] = [];
  runtime.watch(at(counter, '/n', 0), (now, before) => heard.push([now, before]));
  runtime.batch(() => {
    runtime.dispatch(added(1));
    runtime.batch(() => runtime.dispatch(added(1)));
    expect(runtime.read(counter).n).toBe(2);
  });
  expect(heard).toEqual([[2, 0]]);
  expect(outcomes(runtime)).toEqual(['applied', 'applied']);
});

describe('rule 1: invariants', () => {
  test('a broken rule is reported on the step that broke it', () => {
    const { counter, added } = model();
    counter.invariant('small', ({ n }) => n < 3);
    const problems: Problem[] = [];
    const runtime = createRuntime({
      stores: [counter],
      trace: recording(),
      onProblem: (problem) => problems.push(problem),
    });
    runtime.dispatch(added(2));
    runtime.dispatch(added(2));
    expect(runtime.read(counter).n).toBe(4);
    expect(problems).toMatchObject([{ error: { code: 'FLOE_INVARIANT_BROKEN' }, action: { type: 'counter.added' } }]);
    expect(runtime.trace.steps.map(({ problems: found }) => found?.length ?? 0)).toEqual([0, 0, 1]);
  });

  test('or refused, and then nothing changed', () => {
    const { counter, added } = model();
    counter.invariant('small', ({ n }) => n < 3);
    const runtime = createRuntime({ stores: [counter], trace: recording(), invariants: 'refuse' });
    expect(codeOf(() => runtime.dispatch(added(5)))).toBe('FLOE_INVARIANT_BROKEN');
    expect([runtime.read(counter).n, outcomes(runtime)]).toEqual([0, ['refused']]);
  });
});

describe('interceptors', () => {
  test('proceed, proceed with another action, or stop with a reason, in the order in which they were added', () => {
    const { counter, added } = model();
    const order: string[] = [];
    const doubling: Interceptor = (one, { proceed }) => {
      order.push('doubling');
      proceed(added.made(one) ? added(one.payload * 2) : one);
    };
    const capping: Interceptor = (one, { proceed, stop, read }) => {
      order.push('capping');
      if (added.made(one) && read(counter).n + one.payload > 10) stop('too much');
      else proceed();
    };
    const runtime = createRuntime({ stores: [counter], trace: recording(), interceptors: [doubling, capping] });
    expect(runtime.dispatch(added(4))).toBe('applied');
    expect(runtime.dispatch(added(4))).toBe('stopped');
    expect([runtime.read(counter).n, order.join(' ')]).toEqual([8, 'doubling capping doubling capping']);
    expect(runtime.trace.steps.at(-1)).toMatchObject({ outcome: 'stopped', reason: 'too much', changes: [] });
    expect(runtime.trace.steps[1]).toMatchObject({ action: { payload: 8 } });
  });

  test('what an interceptor puts in the place of an action is checked too', () => {
    const { counter, added } = model();
    const runtime = createRuntime({
      stores: [counter],
      interceptors: [(_one, { proceed }) => void proceed({ type: 'counter.added', payload: (() => 1) as never })],
    });
    expect(codeOf(() => runtime.dispatch(added(1)))).toBe('FLOE_NOT_PLAIN_DATA');
    expect(runtime.read(counter).n).toBe(0);
  });

  test('rule 4: one that waits holds the action as a step; it decides once; close stops it', () => {
    const { counter, added } = model();
    const decisions: (() => unknown)[] = [];
    const runtime = createRuntime({
      stores: [counter],
      trace: recording(),
      interceptors: [(_one, { proceed }) => void decisions.push(() => proceed())],
    });
    expect(runtime.dispatch(added(1))).toBe('waiting');
    expect(runtime.dispatch(added(2))).toBe('waiting');
    expect(decisions[0]()).toBe('applied');
    expect(codeOf(decisions[0])).toBe('FLOE_PROCEEDED_TWICE');
    runtime.close();
    expect(codeOf(decisions[1])).toBe('FLOE_CLOSED');
    expect(outcomes(runtime)).toEqual(['waiting', 'waiting', 'applied', 'stopped']);
    expect(runtime.trace.steps.at(-1)).toMatchObject({ action: { payload: 2 }, reason: 'closed' });
  });
});

describe('rule 5: stores that come and go', () => {
  test('a store joins at its first read, or at the first action that one of its creators made, without telling anybody', () => {
    const { counter, added } = model();
    const runtime = createRuntime({ trace: recording() });
    expect(codeOf(() => runtime.dispatch({ type: 'counter.added', payload: 1 }))).toBe('FLOE_UNKNOWN_ACTION');
    expect(runtime.dispatch(added(1))).toBe('applied');
    expect(runtime.dispatch({ type: 'counter.added', payload: 1 })).toBe('applied');
    expect(runtime.read(counter).n).toBe(2);
    expect(runtime.trace.steps.map(({ fact, action: one }) => fact ?? one?.type)).toEqual([
      'joined',
      'counter.added',
      'counter.added',
    ]);
  });

  test('what is declared later counts from then on', () => {
    const { counter, added } = model();
    const runtime = createRuntime({ stores: [counter] });
    runtime.dispatch(added(1));
    counter.when(added, (draft, by) => {
      draft.m += by;
    });
    runtime.dispatch(added(2));
    expect(runtime.read(counter)).toEqual({ n: 3, m: 2 });
  });

  test('modules that import each other in a circle name actions by a function', () => {
    const later: { opened?: ReturnType<typeof action<number>> } = {};
    const thing = store('thing', { last: 0 });
    thing.when(
      () => later.opened!,
      (draft, n) => {
        draft.last = n;
      },
    );
    later.opened = action<number>('opened');
    const runtime = createRuntime({ stores: [thing] });
    runtime.dispatch(later.opened(7));
    expect(runtime.read(thing).last).toBe(7);
  });

  test('a copy of a store has its own state, actions and selectors', () => {
    const { counter, added } = model();
    const n = counter.selector('value', (state, times: number) => state.n * times);
    const plain = counter.selector('plain', (state) => state.n);
    const left = counter.as('left');
    const runtime = createRuntime({ stores: [counter, left], trace: recording() });
    const addedLeft = left.its(added);
    runtime.dispatch(addedLeft(3));
    runtime.dispatch(added(1));
    expect([
      runtime.read(left.its(n)(2)),
      runtime.read(n(2)),
      runtime.read(left.its(plain)),
      runtime.read(at(left, '/n')),
    ]).toEqual([6, 2, 3, 3]);
    expect(runtime.trace.steps[1]).toMatchObject({ action: { type: 'left.added' }, stores: ['left'] });
    expect(left.its(added)).toBe(addedLeft);
    // A store whose name is as long, with an action and a selector of those names.
    const some = store('some', { n: 0 });
    const others = [
      action('other'),
      some.action('added', (draft) => void (draft.n += 1)),
      some.selector('value', () => 0),
    ];
    for (const other of others) expect(codeOf(() => left.its(other as never))).toBe('FLOE_NOT_ITS_OWN');
    runtime.dispatch((others[1] as () => { type: string })());
    expect(runtime.read(left).n).toBe(3);
  });

  test('what is declared of a store later counts for its copies too', () => {
    const { counter, added } = model();
    const left = counter.as('left');
    const runtime = createRuntime({ stores: [left], invariants: 'refuse' });
    const ended = action('ended');
    counter.when(ended, (draft) => {
      draft.m = 7;
    });
    counter.invariant('small', ({ n }) => n < 5);
    const asked = counter.action('asked', (draft) => void (draft.m += 1), { about: { confirm: 'Sure?' } });
    const twice = counter.action('twice', (draft) => void (draft.n += 1));
    counter.action('twice', (draft) => void (draft.m += 1));
    const wrong = counter.selector('wrong', () => runtime.dispatch(ended()));
    runtime.dispatch(ended());
    runtime.dispatch(left.its(twice)());
    expect(runtime.read(left)).toEqual({ n: 1, m: 8 });
    expect(codeOf(() => runtime.dispatch(left.its(added)(9)))).toBe('FLOE_INVARIANT_BROKEN');
    expect(left.its(asked).about).toEqual({ confirm: 'Sure?' });
    expect(() => runtime.dispatch({ type: 'left.aded' })).toThrow(/Did you mean 'left.added'/);
    expect(() => runtime.read(left.its(wrong))).toThrow("the selector 'left.wrong'");
  });

  test('a reloaded module takes over: state stays, new fields begin, lost ones are reported, watchers go on', () => {
    const before = store('panel', { open: false, old: 1 });
    const opened = before.action('opened', (draft) => {
      draft.open = true;
    });
    const isOpen = before.selector('isOpen', (state) => state.open);
    const problems: Problem[] = [];
    const runtime = createRuntime({ stores: [before], onProblem: (problem) => problems.push(problem) });
    const heard: boolean[] = [];
    runtime.watch(isOpen, (now) => heard.push(now));
    runtime.dispatch(opened());
    const after = store('panel', { open: false, fresh: 2 });
    const closed = after.action('closed', (draft) => {
      draft.open = false;
    });
    expect(codeOf(() => runtime.add(after))).toBe('FLOE_NAME_TAKEN');
    runtime.add(after, { renew: true });
    expect(runtime.read(after)).toEqual({ open: true, old: 1, fresh: 2 });
    expect(problems).toMatchObject([{ error: { code: 'FLOE_FIELDS_LOST' } }]);
    runtime.dispatch(closed());
    expect([heard, runtime.read(isOpen), runtime.read(before)]).toEqual([[true, false], false, runtime.read(after)]);
  });
});

describe('selectors in their corners', () => {
  test('a circle is an error that names the chain, and heals when the circle goes', () => {
    const flag = store('flag', { on: true });
    const edits = flag.edits();
    const one: ReturnType<typeof selector<number, []>> = selector('one', (read): number =>
      read(flag).on ? read(two) : 1,
    );
    const two = selector('two', (read): number => read(one) + 1);
    const runtime = createRuntime({ stores: [flag] });
    expect(() => runtime.read(one)).toThrow(
      expect.objectContaining({
        code: 'FLOE_SELECTOR_CYCLE',
        message: expect.stringContaining('one -> two -> one') as unknown as string,
      }),
    );
    runtime.dispatch(edits.merge({ on: false }));
    expect([runtime.read(two), runtime.read(one)]).toEqual([2, 1]);
  });

  test('a thrown error is kept until something that was read changes', () => {
    const { counter, added } = model();
    const derive = jest.fn((state: { n: number }) => {
      if (state.n === 0) throw new RangeError('none yet');
      return state.n;
    });
    const some = counter.selector('some', derive);
    const runtime = createRuntime({ stores: [counter] });
    expect(() => runtime.read(some)).toThrow('none yet');
    expect(() => runtime.read(some)).toThrow('none yet');
    expect(derive).toHaveBeenCalledTimes(1);
    runtime.dispatch(added(1));
    expect(runtime.read(some)).toBe(1);
  });

  test('equal arguments share one value, whatever their order; those nobody watches are bounded by keep', () => {
    const { counter } = model();
    const derive = jest.fn((state: { n: number }, { a, b }: { a: number; b: number }) => state.n + a + b);
    const sum = counter.selector('sum', derive, { keep: 2 });
    const runtime = createRuntime({ stores: [counter] });
    const stop = runtime.watch(sum({ a: 1, b: 2 }), () => undefined);
    runtime.read(sum({ b: 2, a: 1 }));
    expect(derive).toHaveBeenCalledTimes(1);
    for (let a = 10; a < 15; a++) runtime.read(sum({ a, b: 0 }));
    expect(derive).toHaveBeenCalledTimes(6);
    runtime.read(sum({ a: 14, b: 0 }));
    runtime.read(sum({ a: 1, b: 2 }));
    expect(derive).toHaveBeenCalledTimes(6);
    runtime.read(sum({ a: 10, b: 0 }));
    expect(derive).toHaveBeenCalledTimes(7);
    stop();
  });

  test('equal: deep keeps the value, and those who watch hear nothing', () => {
    const { counter, added } = model();
    const parity = counter.selector('parity', (state) => ({ even: state.n % 2 === 0 }), { equal: 'deep' });
    const runtime = createRuntime({ stores: [counter] });
    const heard = jest.fn();
    runtime.watch(parity, heard);
    const before = runtime.read(parity);
    runtime.dispatch(added(2));
    expect(runtime.read(parity)).toBe(before);
    expect(heard).not.toHaveBeenCalled();
  });

  test('a long array read as a whole hands out the state itself and still notices', () => {
    const list = store('list', { rows: Array.from({ length: 1000 }, (_, id) => ({ id, done: false })) });
    const done = list.action('done', (draft, id: number) => {
      draft.rows[id].done = true;
    });
    const left = list.selector('left', (state) => state.rows.filter((row) => !row.done));
    const third = list.selector('third', (state) => state.rows[3].done);
    const runtime = createRuntime({ stores: [list] });
    expect(runtime.read(left)[5]).toBe(runtime.read(list).rows[5]);
    const heard = jest.fn();
    runtime.watch(third, heard);
    runtime.dispatch(done(7));
    expect([runtime.read(left).length, heard.mock.calls.length]).toEqual([999, 0]);
    runtime.dispatch(done(3));
    expect([runtime.read(left).length, heard.mock.calls]).toEqual([998, [[true, false]]]);
  });

  test('at gives the fallback where nothing is, and follows when something comes', () => {
    const map = store('map', { of: {} as Record<string, { n: number }> });
    const put = map.action('put', (draft, key: string) => {
      draft.of[key] = { n: 1 };
    });
    const runtime = createRuntime({ stores: [map] });
    const deep = at(map, '/of/a~1b/n', 0);
    const heard: unknown[] = [];
    runtime.watch(deep, (now, before) => heard.push([before, now]));
    runtime.dispatch(put('x'));
    runtime.dispatch(put('a/b'));
    expect([
      runtime.read(deep),
      heard,
      runtime.read(at(map, '')),
      runtime.read(at(map, '/of/x/n/deeper', 'none')),
    ]).toEqual([1, [[0, 1]], runtime.read(map), 'none']);
  });
});

describe('from one runtime to another', () => {
  test('a snapshot hands all kinds of values over, and its text is safe in a page', () => {
    const map = new Map<unknown, unknown>([['a', new Set([1n])]]);
    const state = {
      text: '</script>\u2028',
      at: new Date(5),
      map,
      none: undefined,
      odd: [NaN, -0, Infinity],
      tag: { 'floe:type': 'date' },
    };
    const all = store('all', state);
    const first = createRuntime({ stores: [all] });
    const text = first.snapshotText();
    expect(text).not.toMatch(/[<\u2028]/);
    const second = createRuntime({ stores: [all], initial: text });
    expect(second.read(all)).toEqual(state);
    expect(Object.is(second.read(all).odd[1], -0)).toBe(true);
    expect(createRuntime({ stores: [all], initial: first.snapshot({ only: [all] }) }).read(all)).toBe(first.read(all));
  });

  test('on a server there is no default runtime; expose puts one on the global object', () => {
    expect(codeOf(() => defaultRuntime())).toBe('FLOE_NO_RUNTIME');
    const runtime = createRuntime({ expose: 'floeTestRuntime' });
    expect((globalThis as { floeTestRuntime?: unknown }).floeTestRuntime).toBe(runtime);
    delete (globalThis as { floeTestRuntime?: unknown }).floeTestRuntime;
  });
});

test('edits are ready-made actions of a small store', () => {
  const panel = store('panel', { open: false, width: 3 } as { open: boolean; width?: number });
  const { replace, merge, remove } = panel.edits();
  const runtime = createRuntime({ stores: [panel] });
  runtime.dispatch(merge({ open: true }));
  runtime.dispatch(remove('width'));
  expect(runtime.read(panel)).toEqual({ open: true });
  runtime.dispatch(replace({ open: false }));
  expect(runtime.read(panel)).toEqual({ open: false });
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

test('watchers may be added and removed while they are told', () => {
  const { counter, added } = model();
  const runtime = createRuntime({ stores: [counter] });
  const order: string[] = [];
  const source = at(counter, '/n');
  const stops: (() => void)[] = [];
  stops.push(
    runtime.watch(source, () => {
      order.push('first');
      stops[1]();
      runtime.watch(source, () => order.push('new'));
      stops[0]();
    }),
  );
  stops.push(runtime.watch(source, () => order.push('second')));
  stops.push(runtime.watch(source, () => order.push('third')));
  runtime.dispatch(added(1));
  runtime.dispatch(added(1));
  expect(order).toEqual(['first', 'third', 'third', 'new']);
});
