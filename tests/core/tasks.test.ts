// Tasks: their runs, what their options do, and what outlives a run.
import { describe, expect, test } from '@jest/globals';
import { action, createRuntime, selector, store, task, type TaskContext } from 'floe';
import { handClock, testRuntime } from 'floe/testing';
import { readTrace } from 'floe/trace';
import { asks, codeOf, declareVisits, desk, holding, lines, phaseOf } from '../support/visits.js';

describe('a run', () => {
  test('is a promise of its result; its start, its actions and its end are steps with their causes', async () => {
    const { visits, listArrived } = declareVisits();
    const { open, given } = asks();
    const runtime = testRuntime({ stores: [visits], needs: [given] });
    const load = task(visits, 'load', async ({ dispatch, use }, day: string) => {
      const answer = await use(desk).ask(day);
      dispatch(listArrived([answer]));
      return answer.length;
    });
    const run = runtime.run(load('2031-03-02'));
    expect(runtime.read(load.status)).toEqual({
      phase: 'running',
      runs: 1,
      startedAt: runtime.clock.now(),
      endedAt: null,
      error: null,
    });
    await runtime.clock.advance(250);
    open[0].answer('v7');
    expect(await run).toBe(2);
    expect(runtime.read(load.status)).toMatchObject({ phase: 'done', endedAt: runtime.clock.now() });
    expect(runtime.read(load.statusOf('2031-03-02'))).toMatchObject({ phase: 'done', runs: 1 });
    expect(runtime.read(load.statusOf('2031-03-03'))).toMatchObject({ phase: 'idle', runs: 0 });
    expect(lines(runtime.trace.steps)).toEqual([
      '0, initial, by runtime, applied',
      '1, runStarted, #1 running, by code, applied',
      '2, visits.listArrived, by task #1, applied',
      '3, runEnded, #1 done, by task #1, applied',
    ]);
    expect(runtime.trace.steps[1].run).toEqual({ id: 1, task: 'visits.load', args: ['2031-03-02'], phase: 'running' });
    const file = readTrace(runtime.trace.export());
    expect(file.steps.map(({ run: one }) => one)).toEqual(runtime.trace.steps.map(({ run: one }) => one));
  });

  test('a failure is reported where no caller waits for it, and is not where one does; both are in the status', async () => {
    const failing = task('failing', ({ sleep }, ms: number) =>
      sleep(ms).then(() => Promise.reject(Object.assign(new Error('no line'), { code: 'OFFLINE' }))),
    );
    const now = task('failingNow', () => {
      throw new Error('at once');
    });
    const runtime = testRuntime();
    void runtime.run(failing(1));
    const awaited = expect(runtime.run(failing(2))).rejects.toThrow('no line');
    const settled = Promise.allSettled([runtime.run(now())]);
    await runtime.clock.advance(5);
    await awaited;
    expect((await settled)[0]).toMatchObject({ status: 'rejected', reason: new Error('at once') });
    await expect(runtime.run(now()).catch(String)).resolves.toBe('Error: at once');
    expect(runtime.problems.map(({ error }) => String(error))).toEqual(['Error: no line']);
    expect(runtime.read(failing.status)).toMatchObject({
      phase: 'failed',
      error: { message: 'no line', code: 'OFFLINE' },
    });
    expect(runtime.read(now.status).error).toEqual({ message: 'at once' });
    const bare = task('bareFailure', () => Promise.reject(undefined as unknown as Error));
    await expect(runtime.run(bare())).rejects.toBeUndefined();
    expect(runtime.read(bare.status)).toMatchObject({ phase: 'failed', error: { message: 'undefined' } });
    const late = runtime.run(now());
    await runtime.clock.advance();
    await expect(late.finally(() => undefined)).rejects.toThrow('at once');
  });

  test('sees time and chance of the runtime, and the trace says what it saw', async () => {
    const { visits, picked } = declareVisits();
    const roll = task(visits, 'roll', async ({ now, random, sleep, dispatch }) => {
      const began = now();
      await sleep(1500);
      dispatch(picked(`${now() - began} ${random() < 1}`));
    });
    const played = async () => {
      const runtime = testRuntime({ stores: [visits] });
      void runtime.run(roll());
      await runtime.clock.advance(1500);
      return runtime;
    };
    const runtime = await played();
    expect(runtime.read(visits).picked).toBe('1500 true');
    const saw = runtime.trace.steps.at(-1)!.run!.saw!;
    expect(saw.map(([what]) => what)).toEqual(['now', 'now', 'random']);
    expect(saw[1][1] - saw[0][1]).toBe(1500);
    expect((await played()).trace.steps.at(-1)!.run!.saw).toEqual(saw);
    const real = createRuntime({ stores: [visits] });
    const before = Date.now();
    await real.run(
      task('short', ({ sleep, now, random }) =>
        sleep(20).then(() => expect(now() + random()).toBeGreaterThan(before)),
      )(),
    );
    expect(Date.now() - before).toBeGreaterThanOrEqual(15);
  });
});

describe('what is wrong is said', () => {
  const idle = task('idle', () => undefined);
  test.each<[string, string, () => unknown]>([
    ['a task that is not called', 'FLOE_NOT_A_TASK_CALL', () => testRuntime().run(idle as never)],
    ['nothing', 'FLOE_NOT_A_TASK_CALL', () => testRuntime().run(undefined as never)],
    ['no work', 'FLOE_BAD_NAME', () => task('none', undefined as never)],
    ['a bad name', 'FLOE_BAD_NAME', () => task(declareVisits().visits, 'a.b', () => undefined)],
    [
      'an argument that is no data',
      'FLOE_NOT_PLAIN_DATA',
      () => testRuntime().run(task('any', (_ctx, _fn: unknown) => undefined)(() => 1)),
    ],
  ])('%s', (_name, code, fn) => {
    let found = '';
    try {
      fn();
    } catch (error) {
      found = codeOf(error);
    }
    expect(found).toBe(code);
  });

  test('a dispatch of a task in a change', () => {
    const { visits, picked } = declareVisits();
    const runtime = testRuntime({ stores: [visits] });
    const { context } = holding(runtime);
    const inside = visits.action('inside', () => void context.dispatch(picked('v7')));
    expect(() => runtime.dispatch(inside())).toThrow('dispatch was called inside the change');
  });

  test('a need that the runtime was not given is named, with its task', async () => {
    const { visits } = declareVisits();
    const load = task(visits, 'load', ({ use }) => use(desk).ask('list'));
    await expect(testRuntime().run(load())).rejects.toMatchObject({
      code: 'FLOE_NEED_MISSING',
      message: expect.stringMatching(/visits\.load.*desk.*desk\.by/),
    });
  });
});

describe('options', () => {
  test('retry: tries again after a pause, reverts what the failed try left open, and can be cancelled in the pause', async () => {
    const { visits, filterPicked } = declareVisits();
    const tries: number[] = [];
    const save = task(
      visits,
      'save',
      ({ optimistic, now }, until: number) => {
        tries.push(now());
        optimistic(filterPicked(`try ${tries.length}`));
        if (tries.length < until) throw new Error(`try ${tries.length}`);
        return tries.length;
      },
      { retry: { times: 2, wait: (attempt) => attempt * 100 } },
    );
    const runtime = testRuntime({ stores: [visits] });
    const start = runtime.clock.now();
    const run = runtime.run(save(3));
    expect(runtime.read(visits).filter).toBe('all');
    expect(runtime.read(save.status).phase).toBe('running');
    await runtime.clock.advance(300);
    expect(await run).toBe(3);
    expect(tries.map((at) => at - start)).toEqual([0, 100, 300]);
    expect(runtime.read(visits).filter).toBe('try 3');
    expect(runtime.trace.steps.filter(({ fact }) => fact === 'runRetried').map(({ reason }) => reason)).toEqual([
      'try 1',
      'try 2',
    ]);
    tries.length = 0;
    const failing = runtime.run(save(9));
    await runtime.clock.advance(300);
    await expect(failing).rejects.toThrow('try 3');
    tries.length = 0;
    const left = runtime.run(save(9));
    left.cancel();
    await expect(left).rejects.toMatchObject({ code: 'FLOE_RUN_CANCELLED' });
    expect(runtime.clock.waiting).toBe(0);
    await runtime.clock.advance(300);
    expect(tries).toHaveLength(1);
  });

  test('retry: a pause that cannot be computed is a failure of the run', async () => {
    const { visits } = declareVisits();
    const wait = () => {
      throw new Error('no pause');
    };
    const save = task(visits, 'save', ({ sleep }) => sleep(1).then(() => Promise.reject(new Error('try'))), {
      retry: { times: 2, wait },
    });
    const runtime = testRuntime({ stores: [visits] });
    const end = phaseOf(runtime.run(save()));
    await runtime.clock.advance(1);
    expect(await end).toBe('no pause');
    expect(runtime.read(save.status).phase).toBe('failed');
  });

  test('unless: nothing is done where there is nothing to do, and the trace says so', async () => {
    const { visits, listArrived } = declareVisits();
    const load = task(visits, 'load', ({ dispatch }, id: string) => (dispatch(listArrived([id])), 'asked'), {
      unless: (read, id) => read(visits).list.includes(id),
    });
    const runtime = testRuntime({ stores: [visits] });
    expect(await runtime.run(load('v7'))).toBe('asked');
    expect(await runtime.run(load('v7'))).toBeUndefined();
    expect(await runtime.run(load('v8'))).toBe('asked');
    expect(runtime.read(load.status).runs).toBe(2);
    expect(lines(runtime.trace.steps).filter((line) => line.includes('Skipped'))).toEqual([
      '4, runSkipped, #0 skipped, by code, unchanged, there is nothing to do',
    ]);
    const broken = task(visits, 'broken', () => 1, {
      unless: () => {
        throw new Error('oh');
      },
    });
    await expect(runtime.run(broken())).rejects.toThrow('oh');
    void runtime.run(broken());
    await runtime.clock.advance();
    expect(runtime.problems.map(({ error }) => String(error))).toEqual(['Error: oh']);
  });

  test('when: answers one action or several, also by name later, with the payload; a failure is reported', async () => {
    const { visits, picked } = declareVisits();
    const seen: unknown[] = [];
    const shiftEnded = action('shiftEnded');
    const gone = action<string>('gone');
    task(store('unknown', 0), 'never', () => seen.push('never'), { when: picked });
    task(visits, 'one', (_ctx, id: string | null) => void seen.push(['one', id]), { when: () => picked });
    const left = action<string>('left');
    task('several', (_ctx, id: string) => void seen.push(['several', id]), { when: [left, gone] });
    task(
      'bare',
      (_ctx) => {
        seen.push('bare');
        throw new Error('bare');
      },
      { when: shiftEnded },
    );
    const runtime = testRuntime({ stores: [visits] });
    runtime.dispatch(picked('v7'));
    runtime.dispatch(left('v7'));
    runtime.dispatch(gone('v8'));
    expect(seen).toEqual([
      ['one', 'v7'],
      ['several', 'v7'],
      ['several', 'v8'],
    ]);
    runtime.dispatch(shiftEnded());
    await runtime.clock.advance();
    expect(runtime.problems.map(({ error }) => String(error))).toEqual(['Error: bare']);
    expect(runtime.trace.steps.at(-1)!.run).toMatchObject({ task: 'bare', args: [], phase: 'failed' });
    // What was reverted did not happen.
    seen.length = 0;
    expect(() =>
      runtime.atomic(() => {
        runtime.dispatch(gone('v9'));
        throw new Error('no');
      }),
    ).toThrow('no');
    runtime.atomic(() => {
      runtime.dispatch(gone('v9'));
      expect(seen).toEqual([]);
    });
    expect(seen).toEqual([['several', 'v9']]);
  });

  test('when: one that cannot begin is reported, the others begin; none does once the runtime is closed', async () => {
    const { visits, picked } = declareVisits();
    const seen: string[] = [];
    const overlapBy = () => {
      throw new Error('which?');
    };
    task(visits, 'cannot', () => void seen.push('cannot'), { when: picked, overlapBy });
    const closes = () => {
      seen.push('closes');
      void runtime.close();
    };
    task(visits, 'closes', closes, { when: picked });
    task(visits, 'late', () => void seen.push('late'), { when: picked });
    const runtime = testRuntime({ stores: [visits] });
    runtime.dispatch(picked('v7'));
    await runtime.clock.advance();
    expect([seen, runtime.problems.map(({ error }) => String(error))]).toEqual([['closes'], ['Error: which?']]);
  });

  test('atStart and each: lives as long as the runtime, misses nothing that comes while it works', async () => {
    const { visits, picked, filterPicked } = declareVisits();
    const seen: string[] = [];
    const follow = task(
      visits,
      'follow',
      async ({ each, sleep, next }) => {
        for await (const { payload } of each(filterPicked)) {
          seen.push(payload);
          await sleep(100);
          if (payload === 'last') break;
        }
        seen.push((await next([picked, filterPicked])).type);
      },
      { atStart: true },
    );
    const free = task('free', ({ sleep }) => sleep(1e6), { atStart: true });
    const listed = task('listed', () => void seen.push('not asked for'));
    const runtime = testRuntime({ stores: [visits], tasks: [free, listed] });
    for (const filter of ['a', 'b', 'a', 'last', 'lost']) runtime.dispatch(filterPicked(filter));
    expect(seen).toEqual([]);
    await runtime.clock.advance(350);
    expect(seen).toEqual(['a', 'b', 'a', 'last']);
    await runtime.clock.advance(100);
    runtime.dispatch(picked('v7'));
    await runtime.clock.advance();
    expect(seen.at(-1)).toBe('visits.picked');
    expect([follow, free].map(({ status }) => runtime.read(status).phase)).toEqual(['done', 'running']);
    void runtime.close();
    expect(runtime.clock.waiting).toBe(0);
    expect(lines(runtime.trace.steps).at(-1)).toMatch(/runEnded, #2 cancelled, by task #2, applied, closed$/);
    await runtime.clock.advance();
    expect(runtime.problems).toEqual([]);
  });

  test('a part that is loaded later brings its tasks; a task that is declared once more takes the place of the first', async () => {
    const { visits } = declareVisits();
    const seen: string[] = [];
    const later = store('laterPart', 1);
    task(later, 'begin', () => void seen.push('of the store'), { atStart: true });
    const free = task('freePart', () => void seen.push('free'), { atStart: true });
    const runtime = testRuntime({ stores: [visits] });
    runtime.add(later, free);
    expect(seen).toEqual(['of the store', 'free']);
    const reloadedOnce = action('reloadedOnce');
    const old = task('reloaded', () => void seen.push('old'), { when: reloadedOnce });
    runtime.dispatch(reloadedOnce());
    const renewed = task('reloaded', () => void seen.push('new'), { when: reloadedOnce });
    expect(runtime.read(renewed.status).runs).toBe(1);
    runtime.dispatch(reloadedOnce());
    expect(seen.slice(2)).toEqual(['old', 'new']);
    expect([old, renewed].map(({ status }) => runtime.read(status).runs)).toEqual([2, 2]);
    await runtime.clock.advance();
    expect(runtime.problems).toEqual([]);
  });

  test('atStart: a store that is first read inside a selector starts its tasks afterwards', async () => {
    const { visits, picked } = declareVisits();
    const late = store('late', 1);
    const seen: unknown[] = [];
    task(late, 'begin', ({ dispatch }) => seen.push(dispatch(picked('v7'))), { atStart: true });
    const runtime = testRuntime({ stores: [visits] });
    expect(runtime.read(selector('ofLate', (read) => read(late)))).toBe(1);
    expect(seen).toEqual([]);
    await runtime.clock.advance();
    expect(seen).toEqual(['applied']);
  });

  test('replace: when a watcher starts another run meanwhile, the newest call counts', async () => {
    const { visits } = declareVisits();
    const worked: number[] = [];
    const work = ({ sleep }: TaskContext, n: number) => (worked.push(n), sleep(100));
    const load = task(visits, 'load', work, { overlap: 'replace' });
    const runtime = testRuntime({ stores: [visits] });
    let more = 1;
    const runs = [runtime.run(load(1))].map(phaseOf);
    runtime.watch(load.statusOf(1), ({ phase }) => {
      if (phase === 'cancelled' && more-- > 0) runs.push(phaseOf(runtime.run(load(2))));
    });
    runs.push(phaseOf(runtime.run(load(3))));
    await runtime.clock.advance(100);
    expect(await Promise.all(runs)).toEqual([
      expect.stringMatching(/replaced/),
      expect.stringMatching(/replaced/),
      'done',
    ]);
    // One that is replaced as soon as it is seen to run does not begin to work.
    worked.length = 0;
    runtime.watch(load.statusOf(4), ({ phase }) => {
      if (phase === 'running') runs.push(phaseOf(runtime.run(load(5))));
    });
    runs.push(phaseOf(runtime.run(load(4))));
    await runtime.clock.advance(100);
    expect(worked).toEqual([5]);
    expect(await Promise.all(runs.slice(-2))).toEqual(
      expect.arrayContaining([expect.stringMatching(/replaced/), 'done']),
    );
    expect(runtime.problems).toEqual([]);
  });

  test('the steps of a run say why it began and who settled what it had left open', async () => {
    const { visits, picked, filterPicked } = declareVisits();
    let tries = 0;
    task(
      visits,
      'loads',
      ({ optimistic }, filter: string) => {
        optimistic(picked(filter));
        if (++tries === 1) throw new RangeError('once');
      },
      { when: filterPicked, retry: { times: 1 } },
    );
    const later = task(visits, 'later', () => Promise.reject(new RangeError('no code')), { atStart: true });
    const runtime = testRuntime({ stores: [visits] });
    await runtime.clock.advance();
    expect(runtime.read(later.status).error).toStrictEqual({ message: 'no code' });
    runtime.dispatch(filterPicked('expected'));
    await runtime.clock.advance();
    const causes = runtime.trace.steps
      .filter(({ kind }) => kind === 'fact')
      .map(({ fact, cause, run }) => [fact, cause.by, cause.run ?? cause.step, run?.phase, run?.args]);
    expect(causes).toEqual([
      ['initial', 'runtime', undefined, undefined, undefined],
      ['runStarted', 'runtime', undefined, 'running', []],
      ['runEnded', 'task', 1, 'failed', []],
      ['runStarted', 'runtime', 3, 'running', ['expected']],
      ['reverted', 'task', 2, undefined, undefined],
      ['runRetried', 'task', 2, 'running', ['expected']],
      ['confirmed', 'task', 2, undefined, undefined],
      ['runEnded', 'task', 2, 'done', ['expected']],
    ]);
  });

  test('the statuses of a thousand arguments are kept, or of as many as the task says; those of running runs do not count', async () => {
    const { visits } = declareVisits();
    const work = ({ sleep }: TaskContext, n: number) => sleep(n === 0 ? 10_000 : 1);
    const runtime = testRuntime({ stores: [visits] });
    for (const [touch, keep] of [
      [task(visits, 'touch', work), 1000],
      [task(visits, 'touchFew', work, { keep: 3 }), 3],
    ] as const) {
      for (let n = 0; n <= keep + 1; n++) void runtime.run(touch(n));
      await runtime.clock.advance(1);
      const phases = [0, 1, 2, keep + 1].map((n) => runtime.read(touch.statusOf(n)).phase);
      expect(phases).toEqual(['running', 'idle', 'done', 'done']);
    }
  });
});

test('without a trace: tasks answer, listen and revert nevertheless', async () => {
  const { visits, picked, filterPicked } = declareVisits();
  const seen: unknown[] = [];
  task(visits, 'answer', (_context, id: string | null) => void seen.push(id), { when: picked });
  const clock = handClock();
  const runtime = createRuntime({ stores: [visits], clock });
  const listen = task(visits, 'listen', async ({ next, each }) => {
    seen.push((await next(filterPicked)).payload);
    for await (const { payload } of each(filterPicked)) seen.push(payload);
  });
  const hold = task(visits, 'hold', async ({ optimistic, sleep }) => {
    optimistic(picked('v2'));
    await sleep(10);
    throw new Error('no');
  });
  const listening = runtime.run(listen());
  runtime.dispatch(picked('v1'));
  runtime.dispatch({ type: 'visits.picked', payload: 'v1' });
  runtime.dispatch(filterPicked('a'));
  await clock.advance();
  // Unchanged, but it happened.
  for (const filter of ['b', 'b']) runtime.dispatch(filterPicked(filter));
  await clock.advance();
  const held = expect(runtime.run(hold())).rejects.toThrow('no');
  expect(runtime.read(visits).picked).toBe('v2');
  runtime.dispatch(filterPicked('c'));
  await clock.advance(10);
  await held;
  expect(runtime.read(visits)).toMatchObject({ picked: 'v1', filter: 'c' });
  expect(seen).toEqual(['v1', 'v1', 'a', 'b', 'b', 'v2', 'c']);
  listening.cancel();
  await expect(listening).rejects.toMatchObject({ code: 'FLOE_RUN_CANCELLED' });
});

test('the status is neither in a snapshot nor reset, and several runtimes do not share it', async () => {
  const { visits } = declareVisits();
  const load = task(visits, 'load', () => 1);
  const [one, two] = [testRuntime({ stores: [visits] }), testRuntime({ stores: [visits] })];
  await one.run(load());
  one.reset();
  expect(Object.keys(one.snapshot())).toEqual(['visits']);
  expect([one, two].map((runtime) => runtime.read(load.status).runs)).toEqual([1, 0]);
});

describe('a clock driven by hand', () => {
  test('calls of advance that overlap, or stand inside of each other, move the time on one after the other', async () => {
    const clock = handClock(0);
    const seen: number[] = [];
    clock.after(30, () => void clock.advance(100).then(() => seen.push(clock.now())));
    await Promise.all([clock.advance(50), clock.advance(20)]);
    seen.push(clock.now());
    await clock.advance();
    expect([seen, clock.now()]).toEqual([[70, 170], 170]);
  });

  test('what needs many turns of promises has happened before the time moves', async () => {
    const clock = handClock(0);
    let at = -1;
    clock.after(10, () => {
      void (async () => {
        for (let i = 0; i < 500; i++) await Promise.resolve();
        at = clock.now();
      })();
    });
    clock.after(20, () => undefined);
    await clock.advance(20);
    expect(at).toBe(10);
  });

  test('10,000 waits come in their order', async () => {
    const clock = handClock(0);
    const came: number[] = [];
    for (let i = 0; i < 10_000; i++) clock.after((i * 7919) % 10_000, () => came.push(clock.now()));
    const stop = clock.after(5, () => came.push(-1));
    stop();
    stop();
    expect(clock.waiting).toBe(10_000);
    await clock.advance(10_000);
    expect([came.length, came.every((at, i) => at === i), clock.waiting]).toEqual([10_000, true, 0]);
  });

  test('a time that is no number, or lies behind, is refused', async () => {
    const clock = handClock(0);
    for (const ms of [NaN, -5, '5'])
      await expect((async () => clock.advance(ms as number))()).rejects.toMatchObject({ code: 'FLOE_BAD_TIME' });
    expect(clock.now()).toBe(0);
    const runtime = testRuntime();
    const rest = task('rest', ({ sleep }, ms: number) => sleep(ms));
    await expect(runtime.run(rest(NaN))).rejects.toMatchObject({ code: 'FLOE_BAD_TIME' });
  });
});
