// A written test passes as written, whatever range of whatever recording it is of, and says all that changed.
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { applyPatch, createRuntime, store, type AnyStore, task } from 'floe';
import { entity, rowOf, tableOf, tables } from 'floe/entities';
import { changedPlaces, handClock, testRuntime, valueAt } from 'floe/testing';
import { givenText, readTrace, recording, writeTest, type Step } from 'floe/trace';
import { runs } from '../support/runs.js';

/** Runs the source of a test in this process. */
function run(source: string, stores: readonly AnyStore[]): void {
  const code = source.replace(/^import .*$/gm, '');
  const names = {
    expect,
    test: (_title: string, fn: () => void) => fn(),
    applyPatch,
    changedPlaces,
    testRuntime,
    valueAt,
    tableOf,
    stores,
  };
  // eslint-disable-next-line @typescript-eslint/no-implied-eval -- this is what is tested
  new Function(...Object.keys(names), code)(...Object.values(names));
}

const declare = () => {
  const berth = entity('berth', rowOf<{ id: string; n: number }>(), { key: 'id' });
  const port = tables('port', [berth]);
  const board = store('board', { list: [] as { id: string; n: number }[], note: '', count: 0 });
  const late = store('late', { seen: 0 });
  const added = board.action('added', (draft, n: number) => void draft.list.push({ id: `v${n}`, n: 0 }));
  const counted = board.action('counted', (draft, n: number) => {
    if (n === 7) throw new Error('not seven');
    draft.count += n;
    for (const one of draft.list) one.n += n;
  });
  late.when(counted, (draft) => {
    draft.seen++;
  });
  const noted = board.action('noted', (draft, note: string) => void (draft.note = note));
  const sorted = board.action('sorted', (draft) => void draft.list.reverse());
  const work = task(
    board,
    'work',
    async ({ dispatch, sleep, optimistic }, n: number) => {
      const open = optimistic(noted(`trying ${n}`));
      await sleep(10 * n);
      dispatch(counted(n));
      if (n % 3 === 1) throw new Error('refused');
      open.confirm(noted(`done ${n}`));
    },
    { overlap: 'allow', retry: { times: 1, wait: 5 } },
  );
  const read = task(board, 'read', async ({ dispatch, sleep }) => {
    await sleep(7);
    dispatch(port.put(berth, { id: 'N1', n: 1 }));
  });
  return { port, berth, board, late, added, counted, noted, sorted, work, read };
};

const someOperation = fc.record({
  what: fc.constantFrom(
    ...([
      'added',
      'counted',
      'noted',
      'sorted',
      'put',
      'remove',
      'work',
      'work',
      'read',
      'wait',
      'wait',
      'atomic',
    ] as const),
    ...(['late', 'reset', 'pause', 'resume', 'ignored', 'back', 'exclude', 'failing atomic'] as const),
  ),
  n: fc.nat(8),
});

test('any range of any recording passes as written', async () => {
  let written = 0;
  await fc.assert(
    fc.asyncProperty(
      fc.array(someOperation, { maxLength: 25, size: 'max' }),
      fc.array(fc.tuple(fc.nat(), fc.nat()), { minLength: 3, maxLength: 6 }),
      async (program, ranges) => {
        const model = declare();
        const { port, berth, board, late, added, counted, noted, sorted, work, read } = model;
        const clock = handClock();
        const runtime = createRuntime({
          stores: [board, port],
          clock,
          trace: recording({ ignore: [sorted, read] }),
          onProblem: () => undefined,
        });
        const { trace } = runtime;
        const quiet = (promise: PromiseLike<unknown>): void => void promise.then(undefined, () => undefined);
        for (const { what, n } of program) {
          const operation: Record<typeof what, () => unknown> = {
            added: () => runtime.dispatch(added(n)),
            counted: () => runtime.dispatch(counted(n)),
            noted: () => runtime.dispatch(noted(`it's "${n}"\n*/`)),
            sorted: () => runtime.dispatch(sorted()),
            ignored: () => runtime.dispatch(sorted()),
            put: () => runtime.dispatch(port.put(berth, { id: `N${n}`, n })),
            remove: () => runtime.dispatch(port.remove(berth, `N${n}`)),
            work: () => quiet(runtime.run(work(n))),
            read: () => quiet(runtime.run(read())),
            wait: () => clock.advance(3 * n),
            atomic: () => runtime.atomic(() => [runtime.dispatch(added(n)), runtime.dispatch(counted(1))]),
            'failing atomic': () => runtime.atomic(() => [runtime.dispatch(added(n)), runtime.dispatch(counted(7))]),
            late: () => runtime.read(late),
            reset: () => runtime.reset(board),
            pause: () => trace.pause(),
            resume: () => trace.resume(),
            back: () => trace.back(),
            exclude: () => trace.exclude(trace.steps[n % trace.steps.length].seq),
          };
          try {
            await operation[what]();
          } catch {
            // It failed, and is recorded so.
          }
        }
        const file = readTrace(trace.export());
        const line = trace.steps;
        for (const [a, b] of ranges) {
          const [from, to] = [line[a % line.length].seq, line[b % line.length].seq].sort((one, other) => one - other);
          let source: string;
          try {
            source = writeTest(file, { from, to, model: './model.js', source: 'shift\nthrow 1' });
          } catch (error) {
            expect((error as { code: string }).code).toBe('FLOE_NOTHING_TO_TEST');
            continue;
          }
          written++;
          try {
            run(source, [board, port, late]);
          } catch (error) {
            throw new Error(`${(error as Error).message}\n${source}`, { cause: error });
          }
          expect(givenText(file, { from, to })).toMatch(/^\{.*\}\n$/);
        }
      },
    ),
    { numRuns: runs(60) },
  );
  expect(written).toBeGreaterThan(50);
});

describe('nothing of a file becomes code', () => {
  const evil = ["\n throw new Error('code');//", '\r\nx', '\u2028y', '*/', '`${1}`', "'+x+'", '\u0085z'];

  test.each(evil)('%j', (text) => {
    const { board, noted } = declare();
    const runtime = createRuntime({ stores: [board], trace: recording() });
    const odd = board.action(text.replace(/[./]/g, ''), (draft, note: string) => void (draft.note = note));
    runtime.dispatch(noted('before'));
    runtime.dispatch(odd(text));
    runtime.reset(board);
    runtime.dispatch(odd(text));
    const [header, ...lines] = runtime.trace.export().trimEnd().split('\n');
    const changed = lines.map((line) => {
      const step = JSON.parse(line) as Step;
      return JSON.stringify(step.fact === 'reset' ? { ...step, fact: `reset${text}` } : step);
    });
    const source = writeTest([header, ...changed], { from: 1, model: './model.js', source: text, title: text });
    run(source, [board]);
    expect(source.split('\n').filter((line) => line.startsWith('//'))).toHaveLength(1);
  });
});

test('a place that changed, though nothing was said to change it, fails the test', () => {
  const { board, noted } = declare();
  const runtime = createRuntime({ stores: [board], trace: recording() });
  runtime.dispatch(noted('fog'));
  const source = writeTest(runtime.trace.export(), { from: 1, model: './model.js' });
  const changed = declare().board;
  changed.when(noted, (draft) => {
    draft.count++;
  });
  run(source, [declare().board]);
  expect(() => run(source, [changed])).toThrow('/board/count');
});
