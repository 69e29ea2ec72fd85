import { expect, test } from '@jest/globals';
import { createRuntime, featureIn, FloeError, type Feature, type Hooks } from 'floe';
import { recording } from 'floe/trace';
import { declareCounter } from '../support/counter.js';

interface Limit extends Hooks {
  readonly refused: number;
}
const limit: Feature<Limit> = {
  name: 'limit',
  install: () => {
    let refused = 0;
    return {
      get refused() {
        return refused;
      },
      check: ({ type }, [change]) => {
        if (!change || (change.after as { n: number }).n <= 2) return undefined;
        refused++;
        return new FloeError('HARBOUR_FULL', type);
      },
    };
  },
};

test.each([true, false])('a feature refuses an action before anything is written (given: %s)', (isGiven) => {
  const { counter, added } = declareCounter();
  const runtime = createRuntime({ stores: [counter], trace: recording(), features: isGiven ? [limit] : [] });
  expect(featureIn(runtime, limit)).toBe(featureIn(runtime, limit));
  runtime.dispatch(added(2));
  expect(() => runtime.dispatch(added(1))).toThrow(expect.objectContaining({ code: 'HARBOUR_FULL' }));
  expect(() =>
    runtime.atomic(() => {
      runtime.dispatch(added(-1));
      runtime.dispatch(added(5));
    }),
  ).toThrow('counter.added');
  expect([runtime.read(counter).n, featureIn(runtime, limit).refused]).toEqual([2, 2]);
  const [, , refused] = runtime.trace.steps;
  expect(refused).toMatchObject({ outcome: 'refused', reason: 'counter.added', changes: [] });
});
