import { expect, test } from '@jest/globals';
import { createRuntime, store, type Problem } from 'floe';
import { webArea, webStorage } from 'floe/persist';
import { crc32 } from '../../src/persist/crc32.js';
import { storageContract } from '../persist/contract.js';

let opened = 0;
storageContract('Web Storage', () => {
  const prefix = `place${opened++}:`;
  return () => webArea(localStorage, prefix);
});

// Simulated pages have no TextEncoder: what they store is sealed as a browser seals it.
test('the checksum is that of the UTF-8 bytes', async () => {
  const log = store('log', { note: '' }).persisted();
  const noted = log.action('noted', (draft, note: string) => void (draft.note = note));
  const runtime = createRuntime({ stores: [log], storage: webStorage('local', { prefix: 'sealed' }) });
  runtime.dispatch(noted('Tide 3 \u20ac \u00e9 \ud83d\udea2 \ud800.'));
  await runtime.persistence.flush();
  const [key] = Object.keys(localStorage).filter((one) => one.startsWith('sealed'));
  const [line] = localStorage.getItem(key)!.split('\n');
  const [, sum, rest] = /^\{"sum":"([0-9a-f]{8})",(.*)$/.exec(line)!;
  expect((crc32(Buffer.from(rest)) >>> 0).toString(16).padStart(8, '0')).toBe(sum);
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
