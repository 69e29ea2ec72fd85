import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';

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

const host = `import { main } from ${JSON.stringify(pathToFileURL(join(bin, '../program.js')).href)};
process.on('message', async ({ args, cwd }) => {
  const said = { out: '', err: '' };
  const to = (stream) => (line) => (said[stream] += line + '\\n');
  process.chdir(cwd);
  const code = await main(args, { result: to('out'), talk: to('err'), progress() {} });
  process.send({ code, ...said });
});`;
let shared: ChildProcess | undefined;
let last: Promise<unknown> = Promise.resolve();

/**
 * Runs the built command line in one process for all calls of a suite, one after the other: quicker, for calls that ask nothing of
 * their process and change no module that they load.
 */
export function floeInOneProcess(args: readonly string[], cwd = process.cwd()): Promise<Ended> {
  const answer = last.then(() => answerOf(args, cwd));
  last = answer.catch(() => undefined);
  return answer;
}

async function answerOf(args: readonly string[], cwd: string): Promise<Ended> {
  shared ??= spawn(process.execPath, ['--input-type=module', '--eval', host], {
    env: { ...process.env, NODE_OPTIONS: '', NO_COLOR: '1', FORCE_COLOR: undefined },
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
  shared.unref();
  const answer = once(shared, 'message') as Promise<[Ended]>;
  shared.send({ args, cwd });
  const [ended] = await answer;
  shared.channel!.unref();
  return ended;
}

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
