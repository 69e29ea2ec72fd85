import { expect, test } from '@jest/globals';
import { createRuntime, featureIn, FloeError, task, type Feature, type Hooks, type Problem } from 'floe';
import { handClock } from 'floe/testing';
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

test('what a feature puts off and what goes wrong in it is reported; what it dispatches comes of the step', async () => {
  const { counter, added } = declareCounter();
  const problems: Problem[] = [];
  const clock = handClock();
  const settled: string[] = [];
  const echo: Feature = {
    name: 'echo',
    install: (kernel) => ({
      after({ type, payload }) {
        if (type === 'counter.added' && payload === 1) kernel.dispatch(added(2));
        if (payload === 7) kernel.dispatch(added(7));
        if (payload === 3)
          kernel.after(10, () => {
            throw new Error('too late');
          });
      },
      settled: ({ type }, how) => void settled.push(`${type} ${how}`),
    }),
  };
  const options = { stores: [counter], trace: recording(), features: [echo], clock };
  const runtime = createRuntime({ ...options, onProblem: (problem) => problems.push(problem) });
  runtime.dispatch(added(1));
  expect(runtime.trace.steps.at(-1)).toMatchObject({ action: { payload: 2 }, cause: { by: 'code', step: 1 } });
  runtime.dispatch(added(3));
  await clock.advance(10);
  expect(problems.map(({ error }) => (error as Error).message)).toEqual(['too late']);
  expect(() => runtime.dispatch(added(7))).toThrow("The feature 'echo' keeps dispatching");
  const try_ = task('try', ({ optimistic }) => optimistic(added(5)).revert());
  void runtime.run(try_());
  expect(settled).toEqual(['counter.added reverted']);
});

test.each([
  ['a hook that is misspelt', { name: 'a', install: () => ({ afterr: () => undefined }) }, "did you mean 'after'"],
  ['no hooks', { name: 'a', install: () => undefined }, 'returns the hooks'],
  ['the name of another one', { name: 'limit', install: () => ({}) }, 'is the name of another feature'],
])('a feature with %s is refused', (_what, feature, words) => {
  expect(() => createRuntime({ features: [limit, feature as never] })).toThrow(words);
});
