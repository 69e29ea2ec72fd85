// The catalogue of the errors of `floe/testing`; `docs/reference/errors.md` explains each.
import { FloeError } from '../core/index.js';

export const noSuchCall = (
  call: number,
  calls: readonly { readonly need: string; readonly method: string; readonly isOpen: boolean }[],
): FloeError => {
  const listed = calls.map(
    ({ need, method, isOpen }, i) => `${i + 1} ${nameOfCall(need, method)}${isOpen ? '' : ' (over)'}`,
  );
  return new FloeError(
    'FLOE_NO_SUCH_CALL',
    `There is no call ${call} that waits for a response. The calls so far: ${listed.join(', ') || 'none'}.`,
  );
};

const nameOfCall = (need: string, method: string): string => (method === '' ? need : `${need}.${method}`);

export const noOutcomes = (need: string, method: string, task?: string): FloeError => {
  const write = method === '' ? `${need}.outcomes([...])` : `${need}.outcomes({ ${method}: [...] })`;
  const by = task === undefined ? '' : ` by the task '${task}'`;
  return new FloeError(
    'FLOE_NO_OUTCOMES',
    `'${nameOfCall(need, method)}' is called${by}, and nothing says what that may come to: ${write}.`,
  );
};

export const noSuchTask = (name: string, known: readonly string[]): FloeError =>
  new FloeError('FLOE_NO_SUCH_TASK', `There is no task '${name}'. There are: ${known.join(', ') || 'none'}.`);

export const nothingFails = (steps: number): FloeError =>
  new FloeError(
    'FLOE_NOTHING_FAILS',
    `The recording does not fail: none of its ${steps} steps, computed with today's code, is what 'fails' says. See that the failure is one that actions bring about: what tasks do is not computed again.`,
  );

export const notRepeatable = (story: readonly string[]): FloeError =>
  new FloeError(
    'FLOE_NOT_REPEATABLE',
    `The same story, played again, goes another way: ${story.join('; ') || 'the beginning'}. A task, a change or an outcome uses something that outlives a runtime: a variable of a module, Date, Math.random. Give it to tasks by a need, or use now() and random().`,
  );

export const searchLoop = (task: string): FloeError =>
  new FloeError(
    'FLOE_ENDLESS_LOOP',
    `The task '${task}' dispatches, reads or calls more than 10,000 times without waiting, and was stopped.`,
  );
