// What if: exclusions, their causes, branches side by side, and what is kept.
import { describe, expect, test } from '@jest/globals';
import { action, createRuntime, FloeError, store, task } from 'floe';
import { testRuntime } from 'floe/testing';
import { readTrace, recording, undoStack, type Step } from 'floe/trace';
import { share } from '../support/runs.js';

const codeOf = (fn: () => unknown): string | undefined => {
  try {
    fn();
    return undefined;
  } catch (error) {
    return (error as FloeError).code;
  }
};
const declare = () => {
  const visits = store('visits', { list: [] as string[], count: 0 });
  const planned = visits.action('planned', (draft, id: string) => {
    if (draft.list.includes(id)) throw new Error('twice');
    draft.list.push(id);
  });
  const removed = visits.action('removed', (draft, id: string) => {
    const index = draft.list.indexOf(id);
    if (index < 0) throw new Error('not there');
    draft.list.splice(index, 1);
  });
  const counted = visits.action('counted', (draft) => {
    draft.count = draft.list.length;
  });
  return { visits, planned, removed, counted };
};
const reported = (steps: readonly Step[]): string[] =>
  steps.map(({ seq, action: sent, fact, run, outcome, excluded, orphan }) =>
    [String(seq), sent?.type ?? fact, run?.phase, outcome, excluded && 'excluded', orphan && 'orphan']
      .filter(Boolean)
      .join(' '),
  );

describe('exclude and include', () => {
  // Mutation testing would wait for it thousands of times.
  (share < 0.5 ? test.skip : test)(
    'states that are kept for travel are dropped where an exclusion or another branch makes them others',
    () => {
      // Each step has a key of its own: what an earlier one did is in no patch of a later one.
      const visits = store('visits', {} as Record<string, Record<string, true>>);
      const marked = visits.action('marked', (draft, id: string) => {
        (draft[id.slice(0, -2)] ??= {})[id] = true;
      });
      const runtime = createRuntime({ stores: [visits], trace: recording() });
      const { trace } = runtime;
      for (let i = 1; i <= 2_500; i++) runtime.dispatch(marked(`m${i}`));
      const marksAt = (...steps: number[]): number[] =>
        steps.map((seq) => Object.values(trace.stateAt(seq).visits as object).flatMap(Object.keys).length);
      trace.exclude(1);
      expect(marksAt(900, 1_000, 1_100, 2_000)).toEqual([899, 999, 1_099, 1_999]);
      trace.seek(500);
      for (let i = 1; i <= 2_000; i++) runtime.dispatch(marked(`n${i}`));
      expect(marksAt(300, 500, 2_501, 3_000)).toEqual([299, 499, 500, 999]);
      trace.exclude(2);
      expect(marksAt(500, 2_501, 3_000, 4_000)).toEqual([498, 499, 998, 1_998]);
      trace.switchTo(0);
      expect(marksAt(900, 1_000, 1_100, 2_000)).toEqual([898, 998, 1_098, 1_998]);
    },
  );

  test('rule 16: the steps that an excluded step caused stay as orphans, or are excluded with it', async () => {
    const { visits, planned, counted } = declare();
    const asked = action('asked');
    const load = task(
      visits,
      'load',
      async ({ dispatch, sleep }) => {
        await sleep(10);
        dispatch(planned('late'));
      },
      { when: asked },
    );
    const runtime = testRuntime({ stores: [visits] });
    runtime.watch(visits, ({ list, count }) => {
      if (list.length !== count) runtime.dispatch(counted());
    });
    runtime.dispatch(planned('v1'));
    runtime.dispatch(asked());
    await runtime.clock.advance(10);
    expect(reported(runtime.trace.steps)).toEqual([
      '0 initial applied',
      '1 visits.planned applied',
      '2 visits.counted applied',
      '3 asked unchanged',
      '4 runStarted running applied',
      '5 visits.planned applied',
      '6 visits.counted applied',
      '7 runEnded done applied',
    ]);
    runtime.trace.exclude(3);
    expect(reported(runtime.trace.steps).slice(3)).toEqual([
      '3 asked unchanged excluded',
      '4 runStarted running applied orphan',
      '5 visits.planned applied orphan',
      '6 visits.counted applied orphan',
      '7 runEnded done applied orphan',
    ]);
    runtime.trace.exclude(3, { withCaused: true });
    expect(runtime.trace.steps.map((step) => step.excluded ?? false)).toEqual([
      false,
      false,
      false,
      true,
      true,
      true,
      true,
      true,
    ]);
    expect(runtime.read(visits)).toEqual({ list: ['v1'], count: 1 });
    expect(runtime.read(load.status).phase).toBe('idle');
    runtime.trace.include(3, { withCaused: true });
    expect(runtime.read(visits)).toEqual({ list: ['v1', 'late'], count: 2 });
    expect(runtime.read(load.status).phase).toBe('done');
  });
});

describe('moving in time', () => {
  test('rule 13: watchers and tasks dispatch nothing because the cursor moves', async () => {
    const { visits, planned, counted } = declare();
    const ran: string[] = [];
    const tell = task(visits, 'tell', (_context, text: string) => void ran.push(text));
    const runtime = testRuntime({ stores: [visits] });
    const results: unknown[] = [];
    const stop = runtime.watch(visits, ({ list, count }) => {
      if (list.length === count) return;
      results.push(runtime.dispatch(counted()));
      void runtime.run(tell(list.join())).catch((error: unknown) => results.push((error as FloeError).code));
    });
    runtime.dispatch(planned('v1'));
    const steps = runtime.trace.steps.length;
    runtime.trace.seek(1);
    runtime.trace.live();
    runtime.trace.exclude(runtime.trace.steps.find(({ action: sent }) => sent?.type === 'visits.counted')!.seq);
    stop();
    expect([results.slice(0, 3), ran]).toEqual([['queued', 'stopped', 'stopped'], ['v1']]);
    expect([runtime.trace.steps.length, runtime.trace.branches.length]).toEqual([steps, 1]);
    expect(runtime.dispatch(counted())).toBe('applied');
    await Promise.resolve();
    expect([results.at(-1), runtime.problems]).toEqual(['FLOE_RUN_CANCELLED', []]);
  });

  test('a reset and a transaction in a watcher begin no branch while the cursor moves', async () => {
    const { visits, planned } = declare();
    const late = task(visits, 'late', async ({ sleep, dispatch }) => {
      await sleep(10);
      dispatch(planned('late'));
    });
    const runtime = testRuntime({ stores: [visits] });
    const edits = undoStack(runtime, { stores: [visits] });
    for (const id of ['v1', 'v2']) runtime.dispatch(planned(id));
    const run = runtime.run(late());
    const undone: unknown[] = [];
    const stop = runtime.watch(visits, () => {
      runtime.reset();
      runtime.atomic(() => {
        runtime.dispatch(planned('x'));
      });
      undone.push(edits.undo().became);
    });
    runtime.trace.seek(1);
    await runtime.clock.advance(10);
    await run;
    expect(runtime.read(visits).list).toEqual(['v1']);
    runtime.trace.live();
    stop();
    expect(runtime.read(visits).list).toEqual(['v1', 'v2', 'late']);
    expect([undone, edits.undos, runtime.trace.branches.length]).toEqual([['nothing', 'nothing'], 2, 1]);
  });
});

describe('those who listen', () => {
  test('a listener that throws or leaves affects no other listener', () => {
    const { visits, planned } = declare();
    const problems: unknown[] = [];
    const lines = (line: string): void => {
      if (line.includes('v1')) throw new Error('the disk is full');
    };
    const runtime = createRuntime({
      stores: [visits],
      trace: recording({ lines }),
      onProblem: ({ error }) => problems.push(error),
    });
    const edits = undoStack(runtime, { stores: [visits] });
    expect(runtime.dispatch(planned('v1'))).toBe('applied');
    expect([runtime.read(visits).list, edits.undos, problems.length]).toEqual([['v1'], 1, 1]);
    const next = undoStack(runtime, { stores: [visits] });
    edits.watch(() => edits.close());
    runtime.dispatch(planned('v2'));
    expect([edits.undos, next.undos]).toEqual([0, 1]);
  });
});

describe('branches', () => {
  test('branches are named, listed, compared and saved', () => {
    const { visits, planned, counted } = declare();
    const runtime = createRuntime({ stores: [visits], trace: recording() });
    runtime.dispatch(planned('v1'));
    runtime.dispatch(planned('v2'));
    runtime.trace.back();
    runtime.dispatch(planned('v3'));
    runtime.dispatch(counted());
    runtime.trace.nameBranch(1, 'with v3');
    expect(runtime.trace.compareBranches(0, 1)).toMatchObject({
      same: 2,
      parts: { why: 'event', a: { seq: 2 }, b: { seq: 3 } },
      changes: [
        { op: 'replace', path: '/visits/list/1', value: 'v3' },
        { op: 'replace', path: '/visits/count', value: 2 },
      ],
    });
    const again = createRuntime({ stores: [visits], trace: recording() });
    again.trace.import(runtime.trace.export());
    expect(again.trace.branches).toEqual(runtime.trace.branches);
    expect(again.trace.branches[1]).toMatchObject({ name: 'with v3', from: 1, tip: 4 });
    expect(codeOf(() => again.trace.nameBranch(7, ''))).toBe('FLOE_NO_SUCH_BRANCH');
  });
});

describe('rule 19: a limit', () => {
  test('folding stops at the cursor and at a pending optimistic action', async () => {
    const { visits, planned } = declare();
    const open = task(visits, 'open', async ({ optimistic, sleep }) => {
      const tried = optimistic(planned('tried'));
      await sleep(10);
      tried.revert();
    });
    const runtime = testRuntimeWithLimit(visits, 4);
    runtime.dispatch(planned('v1'));
    runtime.trace.back();
    runtime.dispatch(planned('v2'));
    const run = runtime.run(open());
    for (let i = 0; i < 10; i++) runtime.dispatch(planned(`w${i}`));
    const tried = runtime.trace.steps.find(({ action: sent }) => sent?.payload === 'tried')!;
    expect(runtime.trace.steps[0].seq).toBe(tried.seq);
    expect(runtime.trace.branches.map(({ id }) => id)).toEqual([1]);
    await runtime.clock.advance(10);
    await run;
    expect(runtime.trace.steps).toHaveLength(4);
    expect(runtime.read(visits).list).toHaveLength(11);
  });
});

describe('rule 19: branches', () => {
  test('the limit drops branches without a name first, and reuses no number', () => {
    const { visits, planned } = declare();
    const runtime = createRuntime({ stores: [visits], trace: recording({ limit: 8 }) });
    const { trace } = runtime;
    const ids = (): number[] => trace.branches.map(({ id }) => id);
    runtime.dispatch(planned('start'));
    const fork = trace.cursor;
    for (let i = 1; i <= 6; i++) {
      runtime.dispatch(planned(`v${i}`));
      if (i === 2) trace.nameBranch(trace.branch, 'the second');
      trace.seek(fork);
    }
    expect(ids()).toEqual([0, 1, 2, 3, 4, 5]);
    // The first is left last now.
    trace.switchTo(0);
    trace.seek(fork);
    runtime.dispatch(planned('more'));
    expect(ids()).toEqual([0, 1, 3, 4, 5, 6]);
    trace.seek(fork);
    for (let i = 0; i < 20; i++) {
      runtime.dispatch(planned(`w${i}`));
      trace.seek(fork);
    }
    expect(ids()).toEqual([1, 22, 23, 24, 25, 26]);
    expect(() => trace.switchTo(0)).toThrow(expect.objectContaining({ code: 'FLOE_NO_SUCH_BRANCH' }));
    trace.switchTo(1);
    expect(runtime.read(visits).list).toEqual(['start', 'v2']);
    expect(readTrace(trace.export()).steps.length).toBeLessThanOrEqual(8);
    // What others go through stays.
    trace.live();
    for (let i = 0; i < 3; i++) runtime.dispatch(planned(`x${i}`));
    trace.back();
    runtime.dispatch(planned('y'));
    trace.switchTo(26);
    for (let i = 0; i < 9; i++) runtime.dispatch(planned(`z${i}`));
    expect(ids()).toEqual([26]);
    expect(trace.steps).toHaveLength(8);
  });

  test('20,000 branches leave a bounded number of them', () => {
    const { visits, picked } = declareQuick();
    const runtime = createRuntime({ stores: [visits], trace: recording({ limit: 1000 }) });
    runtime.dispatch(picked(1));
    for (let i = 0; i < 20_000; i++) {
      runtime.dispatch(picked(i % 2));
      runtime.trace.seek(1);
    }
    expect(runtime.trace.branches.length).toBeLessThanOrEqual(1063);
    expect(runtime.trace.branches.at(-1)!.id).toBe(20_000 - 1);
  });

  test.each([Number.NaN, -1, '5', null])('a limit of %p is refused', (limit) => {
    expect(() => createRuntime({ trace: recording({ limit: limit as number }) })).toThrow("'limit'");
  });
});

const declareQuick = () => {
  const visits = store('visits', { n: 0 });
  return { visits, picked: visits.action('picked', (draft, n: number) => void (draft.n = n)) };
};

function testRuntimeWithLimit(visits: ReturnType<typeof declare>['visits'], limit: number) {
  const { clock } = testRuntime();
  return Object.assign(createRuntime({ stores: [visits], trace: recording({ limit }), clock }), { clock });
}
