// Optimistic actions: reverted, confirmed, and what was built on them.
import { describe, expect, test } from '@jest/globals';
import { createRuntime, store, task, type Optimistic, type Problem } from 'floe';
import { testRuntime } from 'floe/testing';
import { recording } from 'floe/trace';
import { failure } from '../support/failures.js';
import { declareVisits, hold, holding } from '../support/visits.js';

describe('optimistic', () => {
  test('rule 20: taking back is a step of its own with the net difference; earlier steps stay as they were', () => {
    const { visits, picked, filterPicked } = declareVisits();
    const runtime = testRuntime({ stores: [visits] });
    const { context } = holding(runtime);
    const seen: unknown[] = [];
    runtime.watch(visits, (state) => seen.push([state.picked, state.filter]));
    const open = context.optimistic(picked('v7'));
    runtime.dispatch(filterPicked('expected'));
    open.revert();
    open.revert();
    open.confirm(picked('v8'));
    expect(open.result).toBe('applied');
    expect(seen).toEqual([
      ['v7', 'all'],
      ['v7', 'expected'],
      [null, 'expected'],
    ]);
    const [, , optimistic, , reverted] = runtime.trace.steps;
    expect(reverted).toMatchObject({
      kind: 'fact',
      fact: 'reverted',
      about: optimistic.seq,
      cause: { by: 'task', run: 1 },
      changes: [{ op: 'replace', path: '/visits/picked', value: null }],
    });
    expect(runtime.trace.steps).toHaveLength(5);
    expect(runtime.trace.stateAt(3)).toMatchObject({ visits: { picked: 'v7', filter: 'expected' } });
    expect(runtime.trace.stateAt(4)).toMatchObject({ visits: { picked: null, filter: 'expected' } });
  });

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

  test('a replacement that fails leaves nothing behind: later actions are reverted as ever', async () => {
    const board = store('board', { berths: [] as string[] });
    const added = board.action('added', (draft, berth: string) => void draft.berths.push(berth));
    const emptied = board.action('emptied', (draft) => void draft.berths.pop());
    const broken = board.action('broken', () => {
      throw new Error('no such berth');
    });
    const runtime = createRuntime({ stores: [board] });
    const work = task('work', ({ optimistic }) => {
      const first = optimistic(added('N2'));
      const second = optimistic(emptied());
      expect(() => first.confirm(broken())).toThrow('no such berth');
      second.revert();
      expect(runtime.read(board).berths).toEqual(['N2']);
      first.confirm();
    });
    await runtime.run(work());
    expect(runtime.read(board).berths).toEqual(['N2']);
  });

  test('inside atomic it commits or rolls back with the rest, and is settled afterwards', () => {
    const { visits, picked } = declareVisits();
    const runtime = testRuntime({ stores: [visits] });
    const { context } = holding(runtime);
    let open: Optimistic | undefined;
    expect(() =>
      context.atomic(() => {
        open = context.optimistic(picked('v7'));
        throw new Error('no');
      }),
    ).toThrow('no');
    open!.revert();
    expect(runtime.read(visits).picked).toBe(null);
    context.atomic(() => {
      open = context.optimistic(picked('v7'));
      open.revert();
      expect(runtime.read(visits).picked).toBe('v7');
    });
    expect(runtime.read(visits).picked).toBe(null);
    expect(runtime.problems).toEqual([]);
  });

  test('a confirmation that fails when its transaction is over leaves the action open', () => {
    const { visits, picked } = declareVisits();
    const refused = visits.action('refused', () => {
      throw new RangeError('no');
    });
    const runtime = testRuntime({ stores: [visits] });
    const { context, run } = holding(runtime);
    const confirmed = (): Optimistic =>
      context.atomic(() => {
        const one = context.optimistic(picked('v7'));
        one.confirm(refused());
        return one;
      });
    const open = confirmed();
    expect(runtime.problems).toMatchObject([{ error: { code: 'FLOE_CHANGE_FAILED' } }]);
    open.revert();
    expect(runtime.read(visits).picked).toBe(null);
    // The end of its run reverts what is open, too.
    confirmed();
    run.cancel();
    expect(runtime.read(visits).picked).toBe(null);
    const { trace } = runtime;
    expect(trace.steps.filter(({ fact }) => fact === 'reverted')).toHaveLength(2);
  });

  test.each([false, true])(
    'a revert drops the whole of a transaction, with something unrelated pending: %s',
    (beside) => {
      const berth = store('berth', { paid: 0, taken: false, charged: 0 });
      const pay = berth.action('pay', (draft) => {
        draft.paid++;
      });
      const take = berth.action('take', (draft) => {
        draft.taken = true;
      });
      const charge = berth.action('charge', (draft) => {
        if (!draft.taken) throw new Error('not taken');
        draft.charged++;
      });
      const other = store('other', { n: 0 });
      const touched = other.action('touched', (draft) => {
        draft.n++;
      });
      const problems: Problem[] = [];
      const runtime = createRuntime({
        stores: [berth, other],
        trace: recording(),
        onProblem: (problem) => problems.push(problem),
      });
      const { context } = holding(runtime);
      if (beside) context.optimistic(touched());
      let taken: Optimistic | undefined;
      context.atomic(() => {
        context.dispatch(pay());
        taken = context.optimistic(take());
        context.dispatch(charge());
      });
      expect(runtime.read(berth)).toEqual({ paid: 1, taken: true, charged: 1 });
      taken!.revert();
      expect(runtime.read(berth)).toEqual({ paid: 0, taken: false, charged: 0 });
      const charged = runtime.trace.steps.find(({ action }) => action?.type === 'berth.charge')!;
      expect(problems.filter(({ action }) => action?.type === 'berth.charge')).toMatchObject([
        { error: { code: 'FLOE_DROPPED' }, step: charged.seq },
      ]);
      void runtime.close();
    },
  );
});
