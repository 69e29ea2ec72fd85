import { expect, test } from '@jest/globals';
import { createRuntime, store, type Problem } from 'floe';
import { webArea, webStorage } from 'floe/persist';
import { storageContract } from '../persist/contract.js';

let opened = 0;
storageContract('Web Storage', () => {
  const prefix = `place${opened++}:`;
  return () => webArea(localStorage, prefix);
});

test('where the browser forbids storage, state stays in memory and the problem is reported', () => {
  const described = Object.getOwnPropertyDescriptor(globalThis, 'localStorage')!;
  Object.defineProperty(globalThis, 'localStorage', {
    configurable: true,
    get: () => {
      throw new Error('blocked');
    },
  });
  const problems: Problem[] = [];
  const log = store('log', { note: '' }).persisted();
  const runtime = createRuntime({
    stores: [log],
    storage: webStorage('local', { prefix: 'x' }),
    onProblem: (problem) => problems.push(problem),
  });
  Object.defineProperty(globalThis, 'localStorage', described);
  expect(runtime.persistence.problems).toMatchObject([{ code: 'FLOE_STORAGE_BLOCKED' }]);
  expect(problems).toHaveLength(1);
});
