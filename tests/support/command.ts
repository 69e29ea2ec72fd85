import { spawn } from 'node:child_process';
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

/** Runs the built command line for each of some calls, one after the other in one process: quicker where no call ends it. */
export async function floeForEach(calls: readonly (readonly string[])[]): Promise<readonly Omit<Ended, 'out'>[]> {
  const program = `import { main } from ${JSON.stringify(pathToFileURL(join(bin, '../program.js')).href)};
const answers = [];
for (const call of ${JSON.stringify(calls)}) {
  let err = '';
  const code = await main(call, { result() {}, talk: (line) => (err += line + '\\n'), progress() {} });
  answers.push({ code, err });
}
process.stdout.write(JSON.stringify(answers), () => process.exit());`;
  const { out, err } = await ended('--input-type=module', ['--eval', program], '');
  if (out === '') throw new Error(err);
  return JSON.parse(out) as readonly Omit<Ended, 'out'>[];
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
