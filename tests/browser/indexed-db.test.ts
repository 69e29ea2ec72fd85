// The storage in IndexedDB, in a real browser: the area works in Chromium, the shared tests of storages drive it from here.
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Browser, Page } from 'playwright-core';
import { launch } from '../support/page.js';
import type { StorageArea } from 'floe/persist';
import { storageContract } from '../persist/contract.js';

let browser: Browser;
let server: Server;
let page: Page;
beforeAll(async () => {
  // In a process of its own: Vite's native parts do not work among Jest's modules.
  const bundle = `import { build } from 'vite';
    const lib = { entry: 'dist/persist/index.js', formats: ['es'] };
    const define = { 'process.env.NODE_ENV': '"development"' };
    const [{ output }] = await build({ configFile: false, logLevel: 'silent', define, build: { write: false, lib } });
    process.stdout.write(output[0].code);`;
  const { stdout: code } = spawnSync(process.execPath, ['--input-type=module', '-e', bundle], {
    env: { ...process.env, NODE_OPTIONS: '' },
    encoding: 'utf8',
  });
  server = createServer((request, response) => {
    response.setHeader('Content-Type', request.url === '/persist.js' ? 'text/javascript' : 'text/html');
    response.end(request.url === '/persist.js' ? code : '<!doctype html><title>storage</title>');
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  browser = await launch();
  page = await browser.newPage();
  await page.goto(`http://127.0.0.1:${(server.address() as AddressInfo).port}/`);
  await page.addScriptTag({
    type: 'module',
    content: `import { indexedDbArea } from '/persist.js';
      const areas = {};
      globalThis.ask = (name, method, args) => (areas[name] ??= indexedDbArea(name))[method](...args);
`,
  });
  await page.waitForFunction('globalThis.ask');
});
afterAll(async () => {
  await browser?.close();
  server?.close();
});

const areaIn = (name: string): StorageArea => {
  const ask = (method: string, ...args: unknown[]): Promise<never> =>
    page.evaluate(
      ([database, wanted, given]) =>
        (globalThis as unknown as { ask(...all: unknown[]): Promise<never> }).ask(database, wanted, given),
      [name, method, args] as const,
    );
  return {
    read: (key) => ask('read', key),
    write: (key, text) => ask('write', key, text),
    remove: (key) => ask('remove', key),
    keys: () => ask('keys'),
  };
};

let databases = 0;
storageContract('IndexedDB in Chromium', () => {
  const name = `place-${++databases}`;
  return () => areaIn(name);
});

test('a database that another tab deletes is made again; what was kept is then gone', async () => {
  const area = areaIn('deleted');
  await area.write('log', 'a text');
  await page.evaluate(
    () =>
      new Promise<void>((resolve, reject) => {
        const request = indexedDB.deleteDatabase('deleted');
        request.onsuccess = () => resolve();
        request.onerror = () => reject(new Error('not deleted'));
      }),
  );
  expect(await area.read('log')).toBeUndefined();
  await area.write('log', 'again');
  expect(await area.read('log')).toBe('again');
});
