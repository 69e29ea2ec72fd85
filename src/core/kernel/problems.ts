// Errors that no caller waits for.
import { complain } from '../base/host.js';
import type { KernelOptions, Problem } from './options.js';

type ProblemAbout = { readonly [K in keyof Omit<Problem, 'error'>]: Problem[K] | undefined };

/** Reports an error, as the options say, with what it has to do with. */
export function report({ onProblem = complainOf }: KernelOptions, error: unknown, about: ProblemAbout = {}): void {
  const { action, task, step } = about;
  try {
    onProblem({
      error,
      ...(action && { action }),
      ...(task !== undefined && { task }),
      ...(step !== undefined && { step }),
    });
  } catch (second) {
    complain(second);
  }
}

const complainOf = ({ task, error }: Problem): void =>
  complain(...(task === undefined ? [] : [`The task '${task}' failed:`]), error);
