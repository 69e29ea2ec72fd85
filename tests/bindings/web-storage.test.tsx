import { expect, test } from '@jest/globals';
import { createRuntime, store } from 'floe';
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
