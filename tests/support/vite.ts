// Vite's development server, as `npm run dev` starts it.
import { afterAll, beforeAll } from '@jest/globals';
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { Browser } from 'playwright-core';
import { launch } from './page.js';

/** A folder inside of this project, whose packages it uses, and a browser: for the applications of one suite. */
export function applications(name: string) {
  mkdirSync('reports', { recursive: true });
  const folder = mkdtempSync(join(process.cwd(), 'reports', `${name}-`));
  let browser: Browser;
  beforeAll(async () => {
    browser = await launch();
  });
  afterAll(async () => {
    await browser?.close();
    rmSync(folder, { recursive: true, force: true });
  });
  return {
    newPage: () => browser.newPage(),
    /** Writes an application's files, by their paths, and gives its folder. */
    write(app: string, files: Iterable<readonly [path: string, code: string]>): string {
      for (const [path, code] of files) {
        mkdirSync(dirname(join(folder, app, path)), { recursive: true });
        writeFileSync(join(folder, app, path), code);
      }
      return join(folder, app);
    },
  };
}

/**
 * Serves an application while `work` is at it.
 * @param modules the folder in whose `node_modules` Vite lies
 */
export async function served(
  app: string,
  work: (address: string) => Promise<void>,
  modules = process.cwd(),
): Promise<void> {
  const vite = join(modules, 'node_modules/vite/bin/vite.js');
  const server = spawn(process.execPath, [vite, '--host', '127.0.0.1', '--port', '0'], {
    cwd: app,
    // Jest's own settings of Node.js are not a user's.
    env: { ...process.env, NODE_OPTIONS: '', NODE_ENV: '', NO_COLOR: '1' },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const ended = once(server, 'exit');
  try {
    let printed = '';
    for await (const part of server.stdout) {
      printed += String(part);
      const [address] = /http:\/\/127\S+/.exec(printed) ?? [];
      if (address === undefined) continue;
      server.stdout.resume();
      await work(address);
      return;
    }
    throw new Error(`Vite has ended: ${printed}`);
  } finally {
    server.kill();
    await ended;
  }
}
