import assert from 'node:assert/strict';
import { test } from 'node:test';
import { explore, testRuntime } from 'floe/testing';
import { examples, expected, stores, visitCancelled, visitPlanned, visits } from './index.js';

test('a visit that is planned is expected until it is cancelled', () => {
  const runtime = testRuntime({ stores });
  runtime.dispatch(visitPlanned('Wren Sound'));
  runtime.dispatch(visitPlanned('Corran Bell'));
  assert.equal(runtime.read(expected), 2);
  runtime.dispatch(visitCancelled('Wren Sound'));
  assert.deepEqual(runtime.read(visits).list, ['Corran Bell']);
});

test('every rule holds, whatever the order of actions', () => {
  assert.deepEqual(explore({ stores, examples }).broken, []);
});
