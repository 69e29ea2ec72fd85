// Optimistic actions: reverted, confirmed, and what was built on them.
import { describe, expect, test } from '@jest/globals';
import { task } from 'floe';
import { testRuntime } from 'floe/testing';
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
