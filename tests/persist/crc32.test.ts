import { expect, test } from '@jest/globals';
import { crc32 } from '../../src/persist/crc32.js';

const bytesOf = (text: string): Uint8Array => new TextEncoder().encode(text);
const hex = (sum: number): string => (sum >>> 0).toString(16);

test('the checksum is CRC-32, whatever the length, at once or piece by piece', () => {
  // The check value of the catalogue of CRCs, and that of a byte of zeros.
  expect(hex(crc32(bytesOf('123456789')))).toBe('cbf43926');
  expect(hex(crc32(new Uint8Array(1)))).toBe('d202ef8d');
  const text = bytesOf('Berth 4 is free from noon: the Far Lodestar has left it.');
  for (let at = 0; at <= text.length; at++)
    expect(crc32(text.subarray(at), crc32(text.subarray(0, at)))).toBe(crc32(text));
});
