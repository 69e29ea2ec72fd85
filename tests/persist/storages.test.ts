import { afterAll } from '@jest/globals';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { memoryArea } from 'floe/persist';
import { fileArea } from 'floe/persist/node';
import { storageContract } from './contract.js';

storageContract('memory', () => {
  const texts = new Map<string, string>();
  return () => memoryArea(texts);
});

const folders: string[] = [];
afterAll(() => folders.forEach((folder) => rmSync(folder, { recursive: true })));

storageContract('a folder', () => {
  const folder = mkdtempSync(join(tmpdir(), 'floe-'));
  folders.push(folder);
  return () => fileArea(join(folder, 'state'));
});
