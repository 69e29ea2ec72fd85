// `floe inspect` as a process.
import { spawn, type ChildProcess } from 'node:child_process';
import { bin } from './command.js';

export interface Served {
  /** As it is printed: with the token. */
  readonly address: string;
  readonly origin: string;
  readonly token: string;
  /** Ends it, and gives its exit code. */
  close(): Promise<number | null>;
}

/** Starts the command and waits for the address that it prints. */
export async function inspecting(args: readonly string[], input?: string, env: object = {}): Promise<Served> {
  const child: ChildProcess = spawn(process.execPath, [bin, 'inspect', ...args], {
    stdio: ['pipe', 'pipe', 'pipe'],
    env: { ...process.env, ...env },
  });
  let err = '';
  child.stderr!.on('data', (data: Buffer) => (err += data.toString()));
  child.stdin!.end(input ?? '');
  const address = await new Promise<string>((resolve, reject) => {
    child.stdout!.once('data', (data: Buffer) => resolve(data.toString().trim()));
    child.once('close', () => reject(new Error(err)));
  });
  const { origin, hash } = new URL(address);
  return {
    address,
    origin,
    token: new URLSearchParams(hash.slice(1)).get('token')!,
    close: () =>
      new Promise((resolve) => {
        child.once('close', resolve);
        child.kill('SIGTERM');
      }),
  };
}
