// Because of what something was done: what runs do after they waited for an action, and what interceptors do beside the
// action that they decide about.
import { expect, test } from '@jest/globals';
import { createRuntime, store, task, type Interceptor, type TaskContext } from 'floe';
import { recording, type Step } from 'floe/trace';

const declare = () => {
  const port = store('port', { clicks: 0, log: [] as string[] });
  const clicked = port.action('clicked', (draft, _on: string) => {
    draft.clicks++;
  });
  const noted = port.action('noted', (draft, note: string) => {
    draft.log.push(note);
  });
  return { port, clicked, noted };
};

/** The notes that were made, and the click that each names. */
function causesOf(steps: readonly Step[]): Record<string, string | undefined> {
  const payloadAt = (seq: number | undefined): string | undefined =>
    steps.find((step) => step.seq === seq)?.action?.payload as string | undefined;
  const notes = steps.filter(({ action }) => action?.type === 'port.noted');
  return Object.fromEntries(notes.map(({ action, cause }) => [action!.payload as string, payloadAt(cause.step)]));
}

async function settled(): Promise<void> {
  for (let i = 0; i < 40; i++) await Promise.resolve();
}

test.each<[string, (own: ReturnType<typeof declare>) => (context: TaskContext) => Promise<void>, object]>([
  [
    'a loop over actions',
    ({ clicked, noted }) =>
      async ({ each, dispatch }) => {
        for await (const { payload } of each(clicked)) dispatch(noted(`after ${payload}`));
      },
    { 'after a': 'a', 'after b': 'b' },
  ],
  [
    'a loop that waits for something else meanwhile',
    ({ clicked, noted }) =>
      async ({ each, dispatch }) => {
        for await (const { payload } of each(clicked)) {
          await Promise.resolve();
          await Promise.resolve();
          dispatch(noted(`after ${payload}`));
        }
      },
    { 'after a': 'a', 'after b': 'b' },
  ],
  [
    'work that waits twice',
    ({ clicked, noted }) =>
      async ({ next, dispatch }) => {
        dispatch(noted('begun'));
        await next(clicked);
        dispatch(noted('first'));
        await next(clicked);
        dispatch(noted('second'));
      },
    { begun: undefined, first: 'a', second: 'b' },
  ],
  [
    'two loops at a time',
    ({ clicked, noted }) =>
      async ({ each, next, dispatch }) => {
        const floating = (async () => {
          for await (const { payload } of each(clicked)) dispatch(noted(`floating ${payload}`));
        })();
        await next(clicked);
        dispatch(noted('once'));
        await floating;
      },
    { 'floating a': 'a', once: 'a', 'floating b': 'b' },
  ],
  [
    'a chain that is not known',
    ({ clicked, noted }) =>
      async ({ next, sleep, dispatch }) => {
        await Promise.race([next(clicked), sleep(1000)]);
        await Promise.resolve();
        dispatch(noted('after a race'));
      },
    { 'after a race': undefined },
  ],
])('%s: each step names the action that was waited for', async (_what, workOf, expected) => {
  const own = declare();
  const runtime = createRuntime({ stores: [own.port], trace: recording() });
  void runtime.run(task('work', workOf(own))()).catch(() => undefined);
  for (const on of ['a', 'b']) {
    runtime.dispatch(own.clicked(on));
    await settled();
  }
  expect(causesOf(runtime.trace.steps)).toEqual(expected);
  await runtime.close();
});

test('what a loop did because of an action is left out with it, and nothing else', async () => {
  const { port, clicked, noted } = declare();
  task(
    port,
    'following',
    async ({ each, dispatch }) => {
      for await (const { payload } of each(clicked)) dispatch(noted(payload));
    },
    { atStart: true },
  );
  const runtime = createRuntime({ stores: [port], trace: recording() });
  for (const on of ['a', 'b']) {
    runtime.dispatch(clicked(on));
    await settled();
  }
  const first = runtime.trace.steps.find(({ action }) => action?.payload === 'a')!;
  runtime.trace.exclude(first.seq, { withCaused: true });
  expect(runtime.read(port)).toEqual({ clicks: 1, log: ['b'] });
  await runtime.close();
});

test('what an interceptor dispatches later names the action that it decides', async () => {
  const { port, clicked, noted } = declare();
  let answer = (): void => undefined;
  const asking: Interceptor = async (action, { proceed, dispatch }) => {
    if (action.type !== 'port.clicked') return void proceed();
    await new Promise<void>((resolve) => (answer = resolve));
    dispatch(noted('asked'));
    proceed();
  };
  const runtime = createRuntime({ stores: [port], trace: recording(), interceptors: [asking] });
  expect(runtime.dispatch(clicked('a'))).toBe('waiting');
  answer();
  await settled();
  const { steps } = runtime.trace;
  const held = steps.find(({ outcome }) => outcome === 'waiting')!;
  expect(steps.find(({ action }) => action?.type === 'port.noted')?.cause).toEqual({
    by: 'interceptor',
    action: 'port.clicked',
    step: held.seq,
  });
  expect(runtime.read(port)).toEqual({ clicks: 1, log: ['asked'] });
  await runtime.close();
});
