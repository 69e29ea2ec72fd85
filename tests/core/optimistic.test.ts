// Optimistic actions: reverted, confirmed, and what was built on them.
import { describe, expect, test } from '@jest/globals';
import { store, task, type Interceptor } from 'floe';
import { testRuntime } from 'floe/testing';
import { titleOf } from 'floe/trace';
import { failure } from '../support/failures.js';
import { declareVisits, hold, holding } from '../support/visits.js';

describe('optimistic', () => {
  test('confirm(action) takes the place of the original, and is heard of', () => {
    const { visits, listArrived, picked } = declareVisits();
    const runtime = testRuntime({ stores: [visits] });
    const { context } = holding(runtime);
    const seen: unknown[] = [];
    task(visits, 'hears', (_ctx, id: string | null) => void seen.push(id), { when: picked });
    const open = context.optimistic(listArrived(['guess']));
    runtime.dispatch(picked('v7'));
    open.confirm(picked('v8'));
    // The later one counts, though it was dispatched before the confirmation.
    expect(runtime.read(visits)).toMatchObject({ list: [], picked: 'v7' });
    expect(seen).toEqual(['v7', 'v8']);
    expect(runtime.trace.steps.find(({ fact }) => fact === 'confirmed')).toMatchObject({ action: picked('v8') });
  });

  test('confirm(action) with an action that throws changes nothing; the original stays open', () => {
    const { visits, picked } = declareVisits();
    const refused = visits.action('refused', () => {
      throw new RangeError('no');
    });
    const runtime = testRuntime({ stores: [visits] });
    const { context } = holding(runtime);
    const open = context.optimistic(picked('v7'));
    const steps = runtime.trace.steps.length;
    expect(() => open.confirm(refused())).toThrow(expect.objectContaining({ code: 'FLOE_CHANGE_FAILED' }) as never);
    const bad = { type: 'visits.picked', payload: (() => 'v8') as never };
    expect(failure(() => open.confirm(bad)).code).toBe('FLOE_NOT_PLAIN_DATA');
    expect(failure(() => open.confirm({} as never)).code).toBe('FLOE_NOT_AN_ACTION');
    expect([runtime.read(visits).picked, runtime.trace.steps.length, runtime.problems]).toEqual(['v7', steps, []]);
    open.revert();
    expect(runtime.read(visits).picked).toBe(null);
    expect(Object.prototype.toString.call(context.run(hold()))).toBe('[object Run]');
  });
});

describe('optimistic actions that are reverted together', () => {
  const setup = (count = 4, interceptors: Interceptor[] = []) => {
    const notes = store('notes', { by: {} as Record<string, true> });
    let computed = 0;
    const noted = notes.action('noted', (draft, note: string) => {
      computed++;
      draft.by[note] = true;
    });
    const runtime = testRuntime({ stores: [notes], interceptors });
    const { context } = holding(runtime);
    const open = Array.from({ length: count }, (_, i) => context.optimistic(noted(`n${i}`)));
    const list = (): readonly string[] => Object.keys(runtime.read(notes).by);
    const computedIn = (fn: () => void): number => {
      const before = computed;
      fn();
      return computed - before;
    };
    return { runtime, context, notes, noted, open, list, computedIn, count: () => computed };
  };

  test.each(['batch', 'atomic'] as const)('those of one %s are computed once, and are one step', (around) => {
    const { runtime, context, open, list, computedIn } = setup();
    const optimistic = runtime.trace.steps.slice(-4).map(({ seq }) => seq);
    const times = computedIn(() =>
      (around === 'batch' ? runtime.batch : context.atomic)(() => {
        for (const one of [open[2], open[0]]) one.revert();
      }),
    );
    expect([list(), times]).toEqual([['n1', 'n3'], 2]);
    const step = runtime.trace.steps.at(-1)!;
    expect(step).toMatchObject({ fact: 'reverted', about: optimistic[2], alsoAbout: [optimistic[0]] });
    expect(titleOf(step)).toBe(`steps ${optimistic[2]}, ${optimistic[0]} reverted`);
    for (const one of [open[1], open[3]]) one.confirm();
    // Without one of the two the step still reverts the other one; without both it reverts nothing.
    const { trace } = runtime;
    trace.exclude(optimistic[0]);
    expect(list()).toEqual(['n1', 'n3']);
    trace.exclude(optimistic[2]);
    expect([list(), trace.steps.find(({ seq }) => seq === step.seq)]).toMatchObject([
      ['n1', 'n3'],
      { outcome: 'unchanged' },
    ]);
    trace.include(optimistic[2]);
    expect([list(), runtime.problems]).toEqual([['n1', 'n3'], []]);
  });

  test('whoever reads or dispatches within the batch finds them reverted', () => {
    const { runtime, noted, open, list } = setup();
    const seen: (readonly string[])[] = [];
    runtime.batch(() => {
      open[0].revert();
      seen.push(Object.keys((runtime.snapshot() as { notes: { by: object } }).notes.by));
      open[1].revert();
      runtime.dispatch(noted(`after ${list().length}`));
      open[3].confirm();
      open[2].revert();
    });
    expect([seen, list()]).toEqual([[['n1', 'n2', 'n3']], ['n3', 'after 2']]);
    expect(runtime.trace.steps.filter(({ fact }) => fact === 'reverted')).toHaveLength(3);
  });

  test('they are no part of a transaction that follows in the batch', () => {
    const { runtime, context, noted, open, list } = setup(1);
    runtime.batch(() => {
      open[0].revert();
      expect(() =>
        context.atomic(() => {
          runtime.dispatch(noted('lost'));
          throw new Error('no');
        }),
      ).toThrow('no');
      context.atomic(() => context.optimistic(noted('more'))).revert();
    });
    expect(list()).toEqual([]);
  });

  test('what an interceptor lets wait in the batch comes after them', () => {
    const { runtime, noted, open } = setup(1, [
      (action, { proceed }) => void ((action.payload as string) === 'held' || proceed()),
    ]);
    runtime.batch(() => {
      open[0].revert();
      runtime.dispatch(noted('held'));
    });
    expect(runtime.trace.steps.slice(-2)).toMatchObject([{ fact: 'reverted' }, { outcome: 'waiting' }]);
  });

  test('a run finds them reverted as well, and what it dispatches in the batch is applied on top', () => {
    const { runtime, context, notes, noted, open, list } = setup(1);
    const { trace } = runtime;
    runtime.batch(() => {
      open[0].revert();
      expect(context.read(notes).by).toEqual({});
      context.optimistic(noted('more')).revert();
      context.optimistic(noted('next'));
    });
    expect([list(), trace.steps.slice(-2).map(titleOf)]).toEqual([['next'], ['step 4 reverted', 'notes.noted']]);
  });

  test('what a failed run leaves is computed once', async () => {
    const { runtime, noted, list, computedIn, open, count } = setup(1);
    const fails = task('fails', async ({ optimistic }) => {
      for (let i = 0; i < 100; i++) optimistic(noted(`f${i}`));
      runtime.dispatch(noted('stays'));
      await Promise.resolve();
      throw new Error('failed');
    });
    const run = runtime.run(fails());
    expect(list()).toHaveLength(102);
    const before = count();
    await expect(run).rejects.toThrow('failed');
    // Only what came after the first of them: 'stays'.
    expect([list(), count() - before]).toEqual([['n0', 'stays'], 1]);
    expect(runtime.trace.steps.filter(({ fact }) => fact === 'reverted')).toHaveLength(1);
    expect(computedIn(() => open[0].revert())).toBe(1);
    expect(list()).toEqual(['stays']);
  });

  test('one with nothing after it is not computed again, nor is what stands before it', () => {
    const { open, list, computedIn } = setup(100);
    expect(computedIn(() => open[99].revert())).toBe(0);
    expect(computedIn(() => open[90].revert())).toBe(8);
    expect(list()).toHaveLength(98);
  });
});
