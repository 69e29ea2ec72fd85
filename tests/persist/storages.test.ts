import { afterAll } from '@jest/globals';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { memoryArea, type StorageArea } from 'floe/persist';
import { fileArea } from 'floe/persist/node';
import { storageContract } from './contract.js';

storageContract('memory', () => {
  const texts = new Map<string, string>();
  return () => memoryArea(texts);
});

/** The same, answering later. */
const later = (area: StorageArea, ms = 0): StorageArea => {
  const after =
    <A extends readonly unknown[], T>(fn: (...args: A) => T) =>
    async (...args: A): Promise<Awaited<T>> => {
      await new Promise((done) => setTimeout(done, ms));
      return await fn(...args);
    };
  return {
    read: after((key: string) => area.read(key)),
    write: after((key: string, text: string) => area.write(key, text)),
    remove: after((key: string) => area.remove(key)),
    keys: after(() => area.keys()),
  };
};
storageContract('a place that answers later', () => {
  const texts = new Map<string, string>();
  return () => later(memoryArea(texts));
});

const folders: string[] = [];
const newFolder = (): string => {
  const folder = mkdtempSync(join(tmpdir(), 'floe-'));
  folders.push(folder);
  return folder;
};
afterAll(() => folders.forEach((folder) => rmSync(folder, { recursive: true })));

storageContract('a folder', () => {
  const folder = newFolder();
  return () => fileArea(join(folder, 'state'));
});
