// Small helpers of the scripts. Node's own modules only: they run before anything is installed.
import { spawn, spawnSync } from 'node:child_process';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = dirname(dirname(fileURLToPath(import.meta.url)));
export const tell = (line) => void process.stderr.write(line + '\n');

const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm';

/** Runs a program in the repository and gives its exit code. Shows its output; with `quiet` only when it fails. */
export function run(file, args, { quiet = false, env = {}, cwd = root } = {}) {
  const { status, stdout, stderr, error } = spawnSync(file, args, {
    cwd,
    encoding: 'utf8',
    stdio: quiet ? 'pipe' : 'inherit',
    env: { ...process.env, ...env },
    maxBuffer: 1 << 28,
    shell: process.platform === 'win32',
  });
  if (error) tell(String(error.message));
  if (quiet && status !== 0) process.stderr.write((stdout ?? '') + (stderr ?? ''));
  return status ?? 1;
}

export const runNpm = (args, options) => run(npm, args, options);

/** Runs a script of an installed package with this Node. */
export const runTool = (path, args, options) =>
  run(process.execPath, [join(root, 'node_modules', path), ...args], options);

/** The compiler: the newest one, which is ten times as fast. Tools that read types through its interface need the one before. */
export const COMPILER = 'typescript-newest/bin/tsc';

/**
 * Starts a script of an installed package with this Node, and gives its exit code and what it printed once it has ended.
 * @param options.shows it prints as it runs, and nothing is gathered. Default: false
 */
export const startTool = (path, args, { shows = false, env = {} } = {}) =>
  new Promise((resolve) => {
    const child = spawn(process.execPath, [join(root, 'node_modules', path), ...args], {
      cwd: root,
      stdio: shows ? 'inherit' : 'pipe',
      env: { ...process.env, ...env },
    });
    let printed = '';
    for (const stream of [child.stdout, child.stderr]) stream?.on('data', (data) => (printed += data));
    child.on('error', (error) => resolve({ status: 1, printed: error.message }));
    child.on('close', (status) => resolve({ status: status ?? 1, printed }));
  });
