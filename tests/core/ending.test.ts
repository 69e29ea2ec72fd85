// How runs end: cancelled in the middle of a loop, left behind by a branch or an import, and whatever they throw.
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { createRuntime, store, type AnyAction, type Run, type TaskContext, task } from 'floe';
import { recording } from 'floe/trace';
import { testRuntime } from 'floe/testing';

const declare = () => {
  const watch = store('watch', { ticks: 0, list: [] as string[] });
  const ticked = watch.action('ticked', (draft) => {
    draft.ticks++;
  });
  const noted = watch.action('noted', (draft, text: string) => {
    draft.list.push(text);
  });
  return { watch, ticked, noted };
};

const settle = async (): Promise<void> => {
  for (let i = 0; i < 100; i++) await Promise.resolve();
};

const unhandled: unknown[] = [];
const note = (error: unknown): void => void unhandled.push(error);
beforeEach(() => {
  unhandled.length = 0;
  process.on('unhandledRejection', note);
});
afterEach(async () => {
  // Node reports an unhandled rejection when all that was queued has run.
  await new Promise((resolve) => setTimeout(resolve, 5));
  process.off('unhandledRejection', note);
  expect(unhandled).toEqual([]);
});

/** Waits of every kind, in a loop that catches everything. */
const loops: Record<string, (context: TaskContext, ticked: () => AnyAction, child: () => never) => Promise<unknown>> = {
  sleep: ({ sleep }) => sleep(10),
  next: ({ next }, ticked) => next(ticked as never),
  each: ({ each }, ticked) => each(ticked as never).next(),
  run: ({ run }, _ticked, child) => run(child()),
  'a race of two': ({ sleep, next }, ticked) => Promise.race([sleep(10), next(ticked as never)]),
};

describe('a loop that catches everything', () => {
  const endings = {
    cancel: (_runtime: ReturnType<typeof testRuntime>, run: Run<unknown>) => run.cancel(),
    close: (runtime: ReturnType<typeof testRuntime>) => runtime.close(),
    branch: (runtime: ReturnType<typeof testRuntime>, _run: unknown, act: () => void) => {
      runtime.trace.seek(0);
      act();
    },
    import: (runtime: ReturnType<typeof testRuntime>) => void runtime.trace.import(runtime.trace.export()),
  };
  test.each(Object.keys(loops).flatMap((wait) => Object.keys(endings).map((how) => [wait, how] as const)))(
    'over %s stops after %s, and learned of it once',
    async (wait, how) => {
      const { watch, ticked, noted } = declare();
      const child = task(watch, 'child', ({ sleep }) => sleep(10));
      const late = store('late', {});
      let rounds = 0;
      const codes: unknown[] = [];
      const poll = task(watch, 'poll', async (context) => {
        for (;;) {
          if (++rounds > 1000) throw new Error('it spins');
          try {
            context.dispatch(noted('round'));
            context.read(watch);
            context.read(late);
            context.optimistic(noted('maybe')).revert();
            await loops[wait](context, ticked, child as never);
          } catch (error) {
            codes.push((error as { code?: string }).code);
          }
        }
      });
      const runtime = testRuntime({ stores: [watch] });
      const run = runtime.run(poll());
      run.catch(() => undefined);
      for (let i = 0; i < 3; i++) {
        await runtime.clock.advance(10);
        runtime.dispatch(ticked());
      }
      await settle();
      const before = rounds;
      expect(before).toBeGreaterThan(2);
      void endings[how as keyof typeof endings](runtime, run, () => runtime.dispatch(ticked()));
      await settle();
      // It goes round once more, and what it dispatches then is stopped.
      expect([rounds - before, codes]).toEqual([1, ['FLOE_RUN_CANCELLED']]);
      expect(run.phase).toBe('cancelled');
    },
  );

  test('a cancelled run learns of it in its next wait', async () => {
    const { watch } = declare();
    let answer: () => void = () => undefined;
    const seen: unknown[] = [];
    const fetching = task(watch, 'fetching', async ({ sleep }) => {
      await new Promise<void>((resolve) => (answer = resolve));
      for (let i = 0; i < 5; i++)
        await sleep(1).then(
          () => seen.push('slept'),
          (error: unknown) => seen.push((error as { code: string }).code),
        );
    });
    const runtime = testRuntime({ stores: [watch] });
    const run = runtime.run(fetching());
    run.catch(() => undefined);
    run.cancel();
    answer();
    await runtime.clock.advance(100);
    expect(seen).toEqual(['FLOE_RUN_CANCELLED']);
  });
});

describe('what a run does not await', () => {
  test('raises no unhandled rejection when the run is cancelled: loops that float, items asked for, children', async () => {
    const { watch, ticked } = declare();
    const ended: string[] = [];
    const child = task(watch, 'child', ({ sleep }) => sleep(1000));
    const busy = task(watch, 'busy', async ({ sleep, each, next, run }) => {
      void (async () => {
        for (;;) await sleep(10);
      })();
      const all = each(ticked);
      void all.next();
      void all.next();
      void next(ticked);
      void run(child());
      void Promise.race([sleep(5), sleep(7)]);
      try {
        for (;;) await sleep(25);
      } finally {
        ended.push('busy');
      }
    });
    const runtime = testRuntime({ stores: [watch] });
    const run = runtime.run(busy());
    await runtime.clock.advance(95);
    run.cancel();
    await expect(run).rejects.toMatchObject({ code: 'FLOE_RUN_CANCELLED' });
    await settle();
    expect([ended, runtime.clock.waiting, runtime.problems]).toEqual([['busy'], 0, []]);
  });

  test('many waits at once are all refused, when the work waits for all of them', async () => {
    const { watch } = declare();
    const refused: string[] = [];
    const many = task(watch, 'many', async ({ sleep }) => {
      const all = await Promise.allSettled(Array.from({ length: 3000 }, () => sleep(10)));
      for (const { status } of all) refused.push(status);
    });
    const runtime = testRuntime({ stores: [watch] });
    const run = runtime.run(many());
    run.cancel();
    await expect(run).rejects.toMatchObject({ code: 'FLOE_RUN_CANCELLED' });
    for (let i = 0; i < 1000 && refused.length === 0; i++) await new Promise((resolve) => setTimeout(resolve, 1));
    expect([refused.length, new Set(refused)]).toEqual([3000, new Set(['rejected'])]);
  });

  test('two that ask for the next item get one each, in their order', async () => {
    const { watch, noted } = declare();
    const seen: unknown[] = [];
    const both = task(watch, 'both', async ({ each }) => {
      const all = each(noted);
      const asked = [all.next(), all.next()];
      for (const { value } of await Promise.all(asked)) seen.push((value as { payload: string }).payload);
    });
    const runtime = testRuntime({ stores: [watch] });
    const run = runtime.run(both());
    runtime.dispatch(noted('a'));
    runtime.dispatch(noted('b'));
    await run;
    expect(seen).toEqual(['a', 'b']);
  });
});

describe('whatever a task throws', () => {
  const throws: Record<string, () => unknown> = {
    'an object without a prototype': () => Object.create(null) as unknown,
    'a symbol': () => Symbol('s'),
    nothing: () => undefined,
    'an object that refuses to be looked at': () =>
      new Proxy(
        {},
        {
          get() {
            throw new Error('no');
          },
        },
      ),
    'an error with a message that is no text': () => Object.assign(new Error('x'), { message: { deep: new Map() } }),
  };
  test.each(Object.keys(throws))(
    '%s: it fails, its status says so, and the error is reported as it is',
    async (name) => {
      const { watch } = declare();
      const thrown = throws[name]();
      const fail = task(watch, 'fail', async () => {
        await Promise.resolve();
        throw thrown;
      });
      const runtime = testRuntime({ stores: [watch] });
      void runtime.run(fail());
      await settle();
      const { phase, error } = runtime.read(fail.status);
      expect([phase, typeof error?.message]).toEqual(['failed', 'string']);
      expect(runtime.problems).toHaveLength(1);
      expect(Object.is(runtime.problems[0].error, thrown)).toBe(true);
    },
  );
});

describe('a task that begins with the runtime', () => {
  test('does not begin again when it ended by itself or was cancelled, nor in a runtime that is still', () => {
    const { watch, noted } = declare();
    let starts = 0;
    const once = task(
      watch,
      'once',
      () => {
        starts++;
      },
      { atStart: true },
    );
    const runtime = testRuntime({ stores: [watch] });
    runtime.trace.seek(0);
    runtime.dispatch(noted('a branch'));
    expect(starts).toBe(1);
    runtime.trace.import(runtime.trace.export());
    expect([starts, runtime.read(once.status).phase]).toEqual([1, 'idle']);
    const still = testRuntime({ stores: [watch], still: true });
    still.trace.import(runtime.trace.export());
    expect(starts).toBe(1);
  });
});

test('sleep, retry and clocks take any length: a month, and for ever', async () => {
  const { watch } = declare();
  const woken: string[] = [];
  const long = task(watch, 'long', async ({ sleep }, ms: number) => {
    await sleep(ms);
    woken.push(String(ms));
  });
  const again = task(
    watch,
    'again',
    () => {
      woken.push('tried');
      throw new Error('no');
    },
    { retry: { times: 1, wait: 40 * 86_400_000 } },
  );
  const runtime = createRuntime({ stores: [watch], trace: recording() });
  for (const ms of [30 * 86_400_000, Infinity, 2 ** 31]) runtime.run(long(ms)).catch(() => undefined);
  runtime.run(again()).catch(() => undefined);
  await new Promise((resolve) => setTimeout(resolve, 30));
  expect(woken).toEqual(['tried']);
  void runtime.close();
});

test('an action is plain data: an argument of a task, a payload, a part of the state', async () => {
  const { watch, ticked, noted } = declare();
  const outbox = store('outbox', { waiting: [] as AnyAction[] });
  const queued = outbox.action('queued', (draft, action: AnyAction) => {
    draft.waiting.push(action);
  });
  const send = task(watch, 'send', ({ dispatch }, action: AnyAction) => dispatch(action));
  const runtime = testRuntime({ stores: [watch, outbox] });
  await runtime.run(send(noted('by a task')));
  runtime.dispatch(queued(ticked()));
  expect(runtime.read(outbox).waiting).toEqual([{ type: 'watch.ticked' }]);
  expect(structuredClone(runtime.read(outbox))).toEqual({ waiting: [{ type: 'watch.ticked' }] });
  runtime.dispatch(runtime.read(outbox).waiting[0]);
  expect(runtime.read(watch)).toEqual({ ticks: 1, list: ['by a task'] });
  expect(JSON.stringify(noted('x'))).toBe('{"type":"watch.noted","payload":"x"}');
});
