// What a storage keeps of a store, as an earlier session left it.
import { seal } from '../../src/persist/checksums.js';

export const storedText = (store: string, state: unknown, more: object = {}): string =>
  `${seal({ floe: 'stored', format: 2, store, version: 1, state, ...more }).line}\n`;
