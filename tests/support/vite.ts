// Vite's development server, as `npm run dev` starts it.
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { join } from 'node:path';

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
