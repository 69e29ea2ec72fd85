import { spawn } from 'node:child_process';
import { join } from 'node:path';

export const bin = join(process.cwd(), 'dist/cli/bin.js');

export interface Ended {
  readonly code: number | null;
  readonly out: string;
  readonly err: string;
}

/** The built harbour example, as `npm run demo` starts it. */
export const demoProgram = join(process.cwd(), 'examples/harbour/dist/demo.js');

/** Runs the built command line as a process of its own. */
export const floe = (args: readonly string[], input = '', cwd?: string): Promise<Ended> => ended(bin, args, input, cwd);

/** Runs the built harbour example as a process of its own. */
export const demo = (args: readonly string[], cwd?: string): Promise<Ended> => ended(demoProgram, args, '', cwd);

const ended = (program: string, args: readonly string[], input: string, cwd?: string): Promise<Ended> =>
  new Promise((resolve, reject) => {
    const child = spawn(process.execPath, [program, ...args], {
      cwd,
      env: { ...process.env, NO_COLOR: '1', FORCE_COLOR: undefined },
    });
    let out = '';
    let err = '';
    child.stdout.on('data', (data: Buffer) => (out += data.toString()));
    child.stderr.on('data', (data: Buffer) => (err += data.toString()));
    child.on('error', reject);
    child.on('close', (code) => resolve({ code, out, err }));
    child.stdin.on('error', () => undefined);
    child.stdin.end(input);
  });
