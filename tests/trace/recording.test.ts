import { describe, expect, test } from '@jest/globals';
import { at, createRuntime, store, task } from 'floe';
import { memoryStorage } from 'floe/persist';
import { readTrace, recording } from 'floe/trace';
import { storedText } from '../support/stored-text.js';

const counter = store('counter', { n: 0, at: new Date(0) });
const added = counter.action('added', (draft, by: number) => {
  if (by < 0) throw new RangeError('below zero');
  draft.n += by;
});
const record = () => createRuntime({ stores: [counter], trace: recording(), clock: () => 1_000 });

describe('recording', () => {
  test('each transition is a step with its action, patch, inverse and outcome', () => {
    const runtime = record();
    runtime.dispatch(added(2));
    runtime.dispatch(added(0));
    expect(() => runtime.dispatch(added(-1))).toThrow('below zero');
    expect(runtime.trace.steps.map(({ took: _took, ...step }) => step)).toMatchObject([
      { seq: 0, kind: 'fact', fact: 'initial', after: null, changes: [{ op: 'add', path: '/counter' }] },
      {
        seq: 1,
        time: 1_000,
        kind: 'action',
        action: { type: 'counter.added', payload: 2 },
        cause: { by: 'code' },
        stores: ['counter'],
        changes: [{ op: 'replace', path: '/counter/n', value: 2 }],
        undo: [{ op: 'replace', path: '/counter/n', value: 0 }],
        outcome: 'applied',
        after: 0,
        branch: 0,
      },
      { seq: 2, outcome: 'unchanged', changes: [] },
      { seq: 3, outcome: 'failed', reason: expect.stringContaining('below zero') as unknown as string, changes: [] },
    ]);
    expect(runtime.trace.steps.every(({ took }) => took >= 0)).toBe(true);
  });
});

describe('what went wrong', () => {
  test('a step that failed says where, in development', async () => {
    const fail = task(counter, 'failing', () => {
      throw new TypeError('in a task');
    });
    const runtime = createRuntime({ stores: [counter], trace: recording(), onProblem: () => undefined });
    expect(() => runtime.dispatch(added(-1))).toThrow();
    await runtime.run(fail()).catch(() => undefined);
    const [, failed, , ended] = readTrace(runtime.trace.export()).steps;
    expect(failed.stack).toMatch(/^RangeError: below zero\n.*recording\.test\.ts/s);
    expect([ended.fact, ended.stack]).toEqual([
      'runEnded',
      expect.stringMatching(/^TypeError: in a task\n.*recording\.test\.ts/s) as unknown as string,
    ]);
    // Computed once more, it fails again.
    runtime.dispatch(added(1));
    runtime.trace.exclude(runtime.trace.steps.at(-1)!.seq);
    expect(runtime.trace.steps[1].stack).toContain('recording.test.ts');
  });

  test('a step names the errors of the selectors and watchers that it made run', () => {
    const lines: string[] = [];
    const problems: unknown[] = [];
    const runtime = createRuntime({
      stores: [counter],
      trace: recording({ lines: (line) => lines.push(line) }),
      onProblem: (problem) => problems.push(problem),
    });
    const half = counter.selector('half', ({ n }) => {
      if (n % 2) throw new Error(`${n} is odd`);
      return n / 2;
    });
    runtime.watch(half, () => undefined);
    runtime.watch(at(counter, '/n', 0), (n) => {
      if (n > 1) throw new Error(`a watcher of ${n}`);
    });
    runtime.follow((read) => {
      if (read(counter).n > 2) throw new Error('a follower');
    });
    for (let i = 0; i < 3; i++) runtime.dispatch(added(1));
    const noted = [undefined, ['1 is odd'], ['a watcher of 2'], ['3 is odd', 'a follower', 'a watcher of 3']];
    const sorted = (all: readonly { problems?: readonly string[] }[]) =>
      all.map((step) => step.problems && [...step.problems].sort());
    expect(sorted(runtime.trace.steps)).toEqual(noted);
    expect(sorted(readTrace(lines).steps)).toEqual(noted);
    expect(problems).toHaveLength(5);
  });
});

describe('travel', () => {
  test('a store that is first read in the past is there in the present too', () => {
    const late = store('late', { m: 1 }).persisted();
    const kept = new Map([['late', storedText('late', { m: 2 })]]);
    const runtime = createRuntime({ stores: [counter], trace: recording(), storage: memoryStorage(kept) });
    runtime.dispatch(added(1));
    runtime.trace.back();
    expect(runtime.read(late)).toEqual({ m: 2 });
    runtime.trace.live();
    expect([runtime.read(counter).n, runtime.read(late).m, runtime.trace.branches.length]).toEqual([1, 2, 1]);
  });
});

describe('trace files', () => {
  test.each([
    ['FLOE_NOT_A_TRACE', ''],
    ['FLOE_NOT_A_TRACE', 'hello'],
    ['FLOE_NOT_A_TRACE', '{"floe":"stored"}\n'],
    ['FLOE_NOT_A_TRACE', '[1]\n'],
    ['FLOE_TRACE_TOO_NEW', '{"floe":"trace","version":99}\n'],
    ['FLOE_TRACE_DAMAGED', '{"floe":"trace","version":1}\n{"seq":0\n{"seq":1}\n'],
    ['FLOE_TRACE_DAMAGED', '{"floe":"trace","version":1}\n{"seq":"0"}\n'],
    ['FLOE_TRACE_DAMAGED', '{"floe":"trace","version":1}\nnull\n'],
  ])('%s: %j', (code, text) => {
    const runtime = record();
    runtime.dispatch(added(3));
    const before = [runtime.trace.export(), runtime.snapshot()];
    expect(() => runtime.trace.import(text)).toThrow(expect.objectContaining({ code }));
    expect([runtime.trace.export(), runtime.snapshot()]).toEqual(before);
  });
});
