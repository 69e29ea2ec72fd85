// No text that ever stood at a redacted place is in anything that leaves: files, lines, steps, messages, spans.
import { expect, test } from '@jest/globals';
import { BasicTracerProvider, InMemorySpanExporter, SimpleSpanProcessor } from '@opentelemetry/sdk-trace-base';
import fc from 'fast-check';
import { createRuntime, store, type Optimistic, task } from 'floe';
import { entity, rowOf, tables } from 'floe/entities';
import { telemetry } from 'floe/telemetry';
import { recording, replayTrace } from 'floe/trace';
import { runs } from '../support/runs.js';

interface Officer {
  name: string;
  pin: string;
}
const badge = entity('badge', rowOf<{ id: string; code: string; holder: string }>(), { key: 'id' });

const declare = () => {
  const desk = store('desk', {
    token: null as string | null,
    list: [] as Officer[],
    keys: {} as Record<string, string>,
    n: 0,
    said: '',
  });
  const held = tables('held', [badge]);
  const tokenSet = desk.action('tokenSet', (draft, { secret }: { secret: string }) => void (draft.token = secret));
  // Its payload is not redacted by name.
  const keyGiven = desk.action(
    'keyGiven',
    (draft, [door, key]: readonly [string, string]) => void (draft.keys[door] = key),
  );
  const joined = desk.action('joined', (draft, { at, secret }: { at: number; secret: string }) => {
    draft.list.splice(at % (draft.list.length + 1), 0, { name: `officer ${at}`, pin: secret });
  });
  const left = desk.action('left', (draft, at: number) => void draft.list.splice(at % (draft.list.length || 1), 1));
  const sorted = desk.action('sorted', (draft) => void draft.list.sort((a, b) => (a.pin < b.pin ? -1 : 1)));
  const renamed = desk.action('renamed', (draft, at: number) => {
    const officer = draft.list[at % (draft.list.length || 1)] as Officer | undefined;
    if (officer) officer.name += '+';
  });
  const counted = desk.action('counted', (draft) => void (draft.n += draft.token === null ? 1 : draft.token.length));
  const failed = desk.action('failed', (draft, { secret }: { secret: string }) => {
    throw new Error(`neither ${draft.token} nor ${secret} nor ${draft.list.map(({ pin }) => pin).join()}`);
  });
  desk.invariant('few', ({ n, token }) => {
    if (n > 60) throw new Error(`too many for ${token}`);
    return true;
  });
  const issued = held.action('issued', ({ badge: badges }, { id, secret }: { id: string; secret: string }) => {
    badges.set(id, { id, code: secret, holder: 'an officer' });
  });
  let taken: Optimistic | undefined;
  const work = task(desk, 'work', async ({ optimistic, dispatch, read }, what: number, secret: string) => {
    taken?.revert();
    taken = optimistic(tokenSet({ secret }));
    dispatch(issued({ id: `b${what}`, secret: `${secret}-b` }));
    await Promise.resolve();
    if (what % 2 === 0) throw new Error(`refused ${secret}, though it was ${read(desk).token}`);
    taken.confirm();
  });
  return { desk, held, tokenSet, keyGiven, joined, left, sorted, renamed, counted, failed, issued, work };
};

const someOperation = fc.record({
  what: fc.constantFrom(
    ...([
      'tokenSet',
      'keyGiven',
      'joined',
      'left',
      'sorted',
      'renamed',
      'counted',
      'failed',
      'issued',
      'work',
    ] as const),
    ...([
      'atomic',
      'back',
      'live',
      'switch',
      'exclude',
      'pause',
      'resume',
      'mark',
      'reset',
      'wait',
      'token twice',
    ] as const),
  ),
  n: fc.nat(5),
});

test('of texts that ever stood at a redacted place, none is in anything that leaves', async () => {
  let fileLength = 0;
  await fc.assert(
    fc.asyncProperty(fc.array(someOperation, { maxLength: 30, size: 'max' }), async (program) => {
      const { desk, held, tokenSet, keyGiven, joined, left, sorted, renamed, counted, failed, issued, work } =
        declare();
      const exporter = new InMemorySpanExporter();
      const provider = new BasicTracerProvider({ spanProcessors: [new SimpleSpanProcessor(exporter)] });
      const lines: string[] = [];
      const byName = (...types: string[]) => Object.fromEntries(types.map((type) => [type, ['/secret']]));
      const runtime = createRuntime({
        stores: [desk, held],
        onProblem: () => undefined,
        trace: recording({
          limit: 12,
          lines: (line) => lines.push(line),
          redact: {
            state: ['/desk/token', '/desk/list/*/pin', '/desk/keys/*', '/held/badge/*/code'],
            actions: byName('desk.tokenSet', 'desk.joined', 'desk.failed', 'held.issued'),
            tasks: { 'desk.work': ['/1'] },
          },
        }),
      });
      const stop = telemetry(runtime, { tracer: provider.getTracer('test'), payloads: true });
      const { trace } = runtime;
      let count = 0;
      const secret = (): string => `secret-${1000 + count++}`;
      const quietly = (fn: () => unknown): void => {
        try {
          fn();
        } catch (error) {
          expect(String((error as Error).stack)).toBeTruthy();
        }
      };
      for (const { what, n } of program) {
        const last = trace.branches.at(-1)!.id;
        const actions = {
          tokenSet: () => runtime.dispatch(tokenSet({ secret: secret() })),
          keyGiven: () => runtime.dispatch(keyGiven([`door ${n}`, secret()])),
          joined: () => runtime.dispatch(joined({ at: n, secret: secret() })),
          left: () => runtime.dispatch(left(n)),
          sorted: () => runtime.dispatch(sorted()),
          renamed: () => runtime.dispatch(renamed(n)),
          counted: () => runtime.dispatch(counted()),
          failed: () => runtime.dispatch(failed({ secret: secret() })),
          issued: () => runtime.dispatch(issued({ id: `b${n}`, secret: secret() })),
          work: () => void runtime.run(work(n, secret())).catch(() => undefined),
          atomic: () =>
            runtime.atomic(() => {
              runtime.dispatch(counted());
              runtime.dispatch(failed({ secret: secret() }));
            }),
          back: () => trace.back(),
          live: () => trace.live(),
          switch: () => trace.switchTo(n % (last + 1)),
          exclude: () => trace.exclude(trace.steps[n % trace.steps.length].seq),
          pause: () => trace.pause(),
          resume: () => trace.resume(),
          mark: () => trace.mark(`it was ${runtime.read(desk).token}`),
          reset: () => runtime.reset(desk),
          wait: () => undefined,
          'token twice': () => {
            runtime.dispatch(tokenSet({ secret: secret() }));
            runtime.dispatch(tokenSet({ secret: secret() }));
          },
        };
        quietly(actions[what] as () => unknown);
        if (what === 'wait' || what === 'work') await new Promise(setImmediate);
      }
      await new Promise(setImmediate);
      trace.nameBranch(trace.branch, `with ${runtime.read(desk).token}`);
      stop();
      const file = trace.export();
      fileLength = Math.max(fileLength, file.length);
      const spans = exporter
        .getFinishedSpans()
        .map(({ name, attributes, status, events }) => ({ name, attributes, status, events }));
      for (const [where, text] of Object.entries({
        file,
        lines: lines.join('\n'),
        steps: JSON.stringify(trace.steps),
        state: JSON.stringify(trace.stateAt(trace.cursor)),
        spans: JSON.stringify(spans),
      })) {
        const found = /secret-\d+/.exec(text);
        expect({ where, found: found && text.slice(Math.max(0, found.index - 200), found.index + 30) }).toEqual({
          where,
          found: null,
        });
      }
      // What was recorded of unchanged code replays, on trust where it has to be.
      expect(replayTrace(file, { stores: [desk, held] }).divergence).toBeUndefined();
      void runtime.close();
    }),
    { numRuns: runs(150) },
  );
  expect(fileLength).toBeGreaterThan(1000);
});
