import { expect, test } from '@jest/globals';
import { context, ROOT_CONTEXT, type Context, type ContextManager } from '@opentelemetry/api';
import { AsyncLocalStorage } from 'node:async_hooks';
import {
  BasicTracerProvider,
  InMemorySpanExporter,
  SimpleSpanProcessor,
  type ReadableSpan,
} from '@opentelemetry/sdk-trace-base';
import { action, store, task } from 'floe';
import { telemetry } from 'floe/telemetry';
import { testRuntime } from 'floe/testing';

function set() {
  const exporter = new InMemorySpanExporter();
  const provider = new BasicTracerProvider({ spanProcessors: [new SimpleSpanProcessor(exporter)] });
  const visits = store('visits', { list: [] as string[], picked: null as string | null });
  const arrived = visits.action('arrived', (draft, list: string[]) => {
    draft.list = list;
  });
  const picked = visits.action('picked', (draft, id: string) => {
    if (!draft.list.includes(id)) throw new Error('unknown');
    draft.picked = id;
  });
  const asked = action('asked');
  task(
    visits,
    'load',
    async ({ dispatch, sleep }) => {
      await sleep(100);
      if (!visits.name) throw new Error();
      dispatch(arrived(['v7']));
    },
    { when: asked, retry: { times: 1 } },
  );
  const runtime = testRuntime({ stores: [visits] });
  const stop = telemetry(runtime, { tracer: provider.getTracer('test') });
  const parentOf = (span: ReadableSpan): string | undefined =>
    exporter.getFinishedSpans().find((one) => one.spanContext().spanId === span.parentSpanContext?.spanId)?.name;
  return { exporter, runtime, asked, picked, stop, parentOf, spans: () => exporter.getFinishedSpans() };
}
const ms = ([seconds, nanos]: readonly [number, number]): number => seconds * 1000 + nanos / 1e6;

test('actions and runs are spans, each with its cause as its parent', async () => {
  const { runtime, asked, spans, parentOf } = set();
  runtime.dispatch(asked());
  await runtime.clock.advance(100);
  expect(spans().map((span) => [span.name, parentOf(span)])).toEqual([
    ['asked', undefined],
    ['visits.arrived', 'visits.load'],
    ['visits.load', 'asked'],
  ]);
  const run = spans()[2];
  expect(ms(run.endTime) - ms(run.startTime)).toBe(100);
  expect(run.attributes).toMatchObject({ 'floe.run': 1, 'floe.phase': 'done', 'floe.cause': 'runtime' });
  expect(spans()[1].attributes).toMatchObject({
    'floe.outcome': 'applied',
    'floe.stores': ['visits'],
    'floe.changes': 1,
  });
  expect(spans()[1].attributes).not.toHaveProperty('floe.payload');
});

test('a failure is a span with an error, and nothing is sent after the end', () => {
  const { runtime, picked, spans, stop } = set();
  expect(() => runtime.dispatch(picked('v9'))).toThrow();
  expect(spans()[0]).toMatchObject({
    name: 'visits.picked',
    status: { code: 2, message: expect.stringContaining('unknown') as unknown as string },
  });
  stop();
  expect(() => runtime.dispatch(picked('v9'))).toThrow();
  expect(spans()).toHaveLength(1);
});

test('a run that is under way when it stops is sent as far as it came', () => {
  const { runtime, asked, spans, stop } = set();
  runtime.dispatch(asked());
  stop();
  expect(spans().map(({ name }) => name)).toEqual(['asked', 'visits.load']);
});

test('spans continue after the import of a shorter trace', async () => {
  const { runtime, asked, spans, parentOf } = set();
  const short = runtime.trace.export();
  for (let i = 0; i < 3; i++) {
    runtime.dispatch(asked());
    await runtime.clock.advance(100);
  }
  const before = spans().length;
  runtime.trace.import(short);
  runtime.dispatch(asked());
  await runtime.clock.advance(100);
  const after = spans().slice(before);
  expect(after.map((span) => [span.name, parentOf(span)])).toEqual([
    ['asked', undefined],
    ['visits.arrived', 'visits.load'],
    ['visits.load', 'asked'],
  ]);
  expect(after[0].attributes['floe.step']).toBe(1);
});

test('no run is forgotten: of a thousand open ones, of those that began before, of a long chain', async () => {
  const { runtime, spans, parentOf, exporter } = set();
  const wait = task('wait', ({ sleep }, ms: number) => sleep(ms));
  const child = task('child', () => undefined);
  const parent = task('parent', async ({ sleep, run }) => {
    await sleep(500);
    await run(child());
  });
  const early = task('early', ({ sleep }) => sleep(100), { atStart: true });
  const provider = new BasicTracerProvider({ spanProcessors: [new SimpleSpanProcessor(exporter)] });
  const other = testRuntime({ tasks: [early] });
  telemetry(other, { tracer: provider.getTracer('test') });
  await other.clock.advance(100);
  expect(spans().map(({ name }) => name)).toEqual(['early']);
  void runtime.run(parent());
  for (let i = 0; i < 1500; i++) void runtime.run(wait(1));
  await runtime.clock.advance(1);
  for (let i = 0; i < 1500; i++) void runtime.run(wait(1000));
  await runtime.clock.advance(1000);
  const names = spans().map(({ name }) => name);
  expect(names.filter((name) => name === 'wait')).toHaveLength(3000);
  const [born] = spans().filter(({ name }) => name === 'child');
  expect([parentOf(born), names.filter((name) => name === 'parent').length]).toEqual(['parent', 1]);
});

test('the active span is the parent of what code does, and the span of a run that of its own requests', async () => {
  const storage = new AsyncLocalStorage<Context>();
  const manager: ContextManager = {
    active: () => storage.getStore() ?? ROOT_CONTEXT,
    with: (active, fn, self, ...args) => storage.run(active, () => fn.call(self, ...args)),
    bind: (_active, target) => target,
    enable: () => manager,
    disable: () => manager,
  };
  context.setGlobalContextManager(manager);
  try {
    const { runtime, asked, parentOf, spans, exporter } = set();
    const provider = new BasicTracerProvider({ spanProcessors: [new SimpleSpanProcessor(exporter)] });
    const tracer = provider.getTracer('requests');
    const ask = task('ask', async ({ sleep }) => {
      tracer.startSpan('GET /visits').end();
      await sleep(10);
      tracer.startSpan('GET /berths').end();
    });
    tracer.startActiveSpan('page', (page) => {
      runtime.dispatch(asked());
      void runtime.run(ask());
      page.end();
    });
    await runtime.clock.advance(200);
    const plain = testRuntime();
    telemetry(plain, { tracer, activeRuns: false });
    const unset = task('unset', () => tracer.startSpan('GET /tides').end());
    void plain.run(unset());
    const parents = Object.fromEntries(spans().map((span) => [span.name, parentOf(span)]));
    expect(parents).toMatchObject({ asked: 'page', ask: 'page', 'GET /visits': 'ask', 'GET /berths': 'ask' });
    expect(parents['GET /tides']).toBeUndefined();
  } finally {
    context.disable();
  }
});
