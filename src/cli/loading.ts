// What the module of a model may do to the command that loads it: it ends the process, never comes to its end, or writes
// where the answer belongs.
import { Console } from 'node:console';
import { writeSync } from 'node:fs';
import { FloeError, messageOf } from '../core/internal.js';
import { modelEnded } from './errors.js';

/**
 * Loads a model. What it writes to the console goes to standard error, now and later.
 * @throws FLOE_MODEL_ENDED where it ends the process
 */
export async function whileLoading<T>(file: string, load: () => Promise<T>): Promise<T> {
  globalThis.console = new Console(process.stderr, process.stderr);
  const { exit } = process;
  /** An error for each time that it ended the process. */
  const ends: FloeError[] = [];
  process.exit = (code?: number) => {
    ends.push(modelEnded(file, `it ends the process (process.exit(${code ?? ''}))`));
    throw ends[0];
  };
  // Nothing is left that could go on, and it has not come to its end: Node would end without a word.
  const stuck = (): void => {
    const { code, message } = modelEnded(file, 'it waits for something that never comes (a top-level await)');
    writeSync(2, `${code}: ${message}\n`);
    process.exitCode = 2;
  };
  process.once('exit', stuck);
  process.on('unhandledRejection', (cause) => {
    const { code, message } = modelEnded(file, `it rejects a promise that nothing handles: ${messageOf(cause)}`, cause);
    process.removeListener('exit', stuck);
    writeSync(2, `${code}: ${message}\n`);
    exit(2);
  });
  try {
    const found = await load();
    // Promises that it has rejected are noticed at the end of a turn.
    await new Promise((resolve) => setImmediate(resolve));
    // It may have caught what was thrown at it.
    if (ends.length > 0) throw ends[0];
    return found;
  } finally {
    process.exit = exit;
    process.removeListener('exit', stuck);
  }
}
