// Tasks that are interrupted at each point of their work: by an import, a branch, a switch, an exclusion, a cancellation, the
// end of the runtime; and by each two of them. Nothing may hang, go unsaid, or claim a run that is not there.
import { afterAll, beforeAll, beforeEach, expect, test } from '@jest/globals';
import { store, type Run, task } from 'floe';
import { testRuntime } from 'floe/testing';
import { longMode, share } from '../support/runs.js';

const declare = () => {
  const watch = store('watch', { ticks: 0, notes: [] as string[] });
  const ticked = watch.action('ticked', (draft) => {
    draft.ticks++;
  });
  const noted = watch.action('noted', (draft, text: string) => {
    draft.notes.push(text);
  });
  const notified: string[] = [];
  const poll = task(
    watch,
    'poll',
    async ({ sleep, dispatch, each }) => {
      void (async () => {
        for await (const { payload } of each(noted)) notified.push(payload);
      })();
      for (;;) {
        try {
          await sleep(10);
          dispatch(ticked());
        } catch {
          // As careless code does.
        }
      }
    },
    { atStart: true },
  );
  const part = task(watch, 'part', async ({ sleep, dispatch }) => {
    await sleep(5);
    dispatch(noted('part'));
    await sleep(5);
  });
  const load = task(
    watch,
    'load',
    async ({ run, dispatch, optimistic, sleep, next }, day: string) => {
      const maybe = optimistic(noted(`maybe ${day}`));
      await run(part());
      dispatch(noted(day));
      await Promise.race([sleep(7), next(ticked)]);
      maybe.confirm();
      return day;
    },
    { overlap: 'replace', overlapBy: (day) => day },
  );
  return { watch, ticked, noted, notified, poll, part, load };
};

type Setting = ReturnType<typeof declare> & {
  runtime: ReturnType<typeof testRuntime>;
  runs: Run<unknown>[];
  file: string;
};
const interruptions: Record<string, (setting: Setting) => void> = {
  import: ({ runtime }) => void runtime.trace.import(runtime.trace.export()),
  'import of another': ({ runtime, file }) => void runtime.trace.import(file),
  'branch from the beginning': ({ runtime, noted }) => {
    runtime.trace.seek(0);
    runtime.dispatch(noted('branch'));
  },
  'branch from the middle': ({ runtime, noted }) => {
    runtime.trace.seek(runtime.trace.steps[runtime.trace.steps.length >> 1].seq);
    runtime.dispatch(noted('branch'));
  },
  'a look at the past': ({ runtime }) => runtime.trace.seek(runtime.trace.steps[runtime.trace.steps.length >> 1].seq),
  switch: ({ runtime }) => runtime.trace.switchTo(runtime.trace.branches[0].id),
  cancel: ({ runs }) => runs.forEach((run) => run.cancel()),
  run: (setting) => start(setting, 'b'),
  close: ({ runtime }) => void runtime.close(),
};

const start = ({ runtime, load, runs }: Setting, day: string): void => {
  const run = runtime.run(load(day));
  run.catch(() => undefined);
  runs.push(run);
};

const unhandled: unknown[] = [];
const note = (error: unknown): void => void unhandled.push(error);
beforeAll(() => void process.on('unhandledRejection', note));
beforeEach(() => void unhandled.splice(0));
afterAll(() => void process.off('unhandledRejection', note));

/** A trace with runs under way, of another runtime. */
async function recordedElsewhere(): Promise<string> {
  const { watch, load } = declare();
  const runtime = testRuntime({ stores: [watch] });
  runtime.run(load('elsewhere')).catch(() => undefined);
  await runtime.clock.advance(12);
  const file = runtime.trace.export();
  void runtime.close();
  return file;
}

const POINTS = 24;
/** Milliseconds to the next point. */
const STEP = 1;

async function play(file: string, plan: readonly { readonly at: number; readonly what: string }[]): Promise<void> {
  const declared = declare();
  const runtime = testRuntime({ stores: [declared.watch] });
  const setting: Setting = { ...declared, runtime, runs: [], file };
  let closed = false;
  await runtime.clock.advance(3);
  start(setting, 'a');
  for (let point = 0; point <= POINTS; point++) {
    for (const { at, what } of plan)
      if (at === point && !closed) {
        interruptions[what](setting);
        closed ||= what === 'close';
      }
    await runtime.clock.advance(STEP);
  }
  const { watch, poll, part, load, notified, noted, runs } = setting;
  if (closed) {
    expect(runs.every(({ phase }) => phase !== 'running')).toBe(true);
    expect(runtime.clock.waiting).toBe(0);
    expect(runtime.problems).toEqual([]);
    return;
  }
  // What was begun late comes to its end.
  await runtime.clock.advance(60);
  runtime.trace.live();
  // The task that lives as long as the runtime is alive, once.
  const { ticks } = runtime.read(watch);
  notified.length = 0;
  await runtime.clock.advance(30);
  runtime.dispatch(noted('here'));
  await runtime.clock.advance();
  expect([runtime.read(watch).ticks - ticks, notified]).toEqual([3, ['here']]);
  // All others are over: so say their statuses, on each branch, and so they say in a file.
  expect(runs.filter(({ phase }) => phase === 'running')).toEqual([]);
  const phases = (of = runtime) =>
    [poll.status, part.status, load.status, load.statusOf('a'), load.statusOf('b'), load.statusOf('elsewhere')].map(
      (status) => of.read(status).phase,
    );
  const over = (): void => expect(phases().slice(1)).not.toContain('running');
  expect(phases()[0]).toBe('running');
  over();
  const state = runtime.snapshot();
  for (const { id } of [...runtime.trace.branches]) {
    runtime.trace.switchTo(id);
    expect(phases()[0]).toBe('running');
    over();
  }
  const other = testRuntime({ stores: [watch], still: true });
  other.trace.import(runtime.trace.export());
  expect(phases(other)).not.toContain('running');
  expect(runtime.problems).toEqual([]);
  expect(Object.keys(state)).toEqual(['watch']);
}

/** Numbers that are the same each time, for the sample. */
function* seeded(seed: number): Generator<number> {
  for (let state = seed >>> 0; ;) {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    yield state / 2 ** 32;
  }
}

test('at each point, by each', async () => {
  const file = await recordedElsewhere();
  for (let at = 0; at <= POINTS; at++) for (const what of Object.keys(interruptions)) await play(file, [{ at, what }]);
  await new Promise((resolve) => setTimeout(resolve, 5));
  expect(unhandled).toEqual([]);
});

test('at each two points, by each two', async () => {
  const file = await recordedElsewhere();
  const plans: { at: number; what: string }[][] = [];
  for (let first = 0; first <= POINTS; first++)
    for (let second = first; second <= POINTS; second++)
      for (const a of Object.keys(interruptions))
        for (const b of Object.keys(interruptions))
          plans.push([
            { at: first, what: a },
            { at: second, what: b },
          ]);
  const random = seeded(7);
  // The long mode plays all of them.
  const part = longMode ? 1 : (300 * share) / plans.length;
  for (const plan of plans) if (random.next().value! < part) await play(file, plan);
  await new Promise((resolve) => setTimeout(resolve, 5));
  expect(unhandled).toEqual([]);
});
