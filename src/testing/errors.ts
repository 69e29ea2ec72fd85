// The catalogue of the errors of `floe/testing`; `docs/reference/errors.md` explains each.
import { FloeError } from '../core/index.js';

export const noSuchCall = (
  need: string,
  call: number,
  calls: readonly { readonly method: string; readonly isOpen: boolean }[],
): FloeError => {
  const listed = calls.map(({ method, isOpen }, i) => `${i + 1} ${method}${isOpen ? '' : ' (over)'}`).join(', ');
  return new FloeError(
    'FLOE_NO_SUCH_CALL',
    `'${need}' has no call ${call} that waits. Its calls: ${listed || 'none'}.`,
  );
};

export const noOutcomes = (need: string, method: string, task: string): FloeError => {
  const call = method === '' ? need : `${need}.${method}`;
  const write = method === '' ? `${need}.outcomes([...])` : `${need}.outcomes({ ${method}: [...] })`;
  return new FloeError(
    'FLOE_NO_OUTCOMES',
    `The task '${task}' calls '${call}', and nothing says what that may come to: needs: [${write}].`,
  );
};

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
