import { expect, test } from '@jest/globals';
import { explore, testRuntime } from 'floe/testing';
import { address, examples, expected, office, planVisit, refusal, shown, stores, visitPlanned } from './index';

test('a visit is on the screen at once, and gone again when the office refuses it', async () => {
  const plan = () => Promise.reject(new Error('The harbour is full.'));
  const runtime = testRuntime({ stores, needs: [office.by({ plan })] });
  const run = runtime.run(planVisit('Wren Sound'));
  expect(runtime.read(expected)).toBe(1);
  await expect(run).rejects.toThrow('The harbour is full.');
  expect([runtime.read(expected), runtime.read(refusal)]).toEqual([0, 'The harbour is full.']);
});

test('only what is looked for is shown', () => {
  const runtime = testRuntime({ stores });
  runtime.dispatch(visitPlanned('Wren Sound'));
  runtime.dispatch(visitPlanned('Corran Bell'));
  runtime.dispatch(address.queryChanged({ find: 'bell' }));
  expect(runtime.read(shown)).toEqual(['Corran Bell']);
});

test('every rule holds, whatever the order of actions', async () => {
  const { broken } = await explore({ stores, examples });
  expect(broken).toEqual([]);
});
