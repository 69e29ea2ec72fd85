// The smallest model that the suites of the core share: a counter and a log.
import { createRuntime, store, type Problem, type RuntimeOptions } from 'floe';
import { recording } from 'floe/trace';
import { hostOf } from '../../src/core/kernel/attachment.js';

export function declareCounter() {
  const counter = store('counter', { n: 0, m: 0 });
  const added = counter.action('added', (draft, by: number) => {
    draft.n += by;
  });
  const failing = counter.action('failing', () => {
    throw new RangeError('on purpose');
  });
  const log = store('log', { lines: [] as string[] });
  const written = log.action('written', (draft, line: string) => {
    draft.lines.push(line);
  });
  return { counter, added, failing, log, written };
}

/** The model in a runtime that records, with what was reported, and what is offered to those who are attached. */
export function recorded(options: Partial<Pick<RuntimeOptions, 'clock' | 'interceptors' | 'invariants'>> = {}) {
  const all = declareCounter();
  const problems: Problem[] = [];
  const runtime = createRuntime({
    stores: [all.counter, all.log],
    trace: recording(),
    onProblem: (problem) => problems.push(problem),
    ...options,
  });
  return {
    ...all,
    runtime,
    problems,
    host: hostOf(runtime),
    last: () => runtime.trace.steps.at(-1)!,
    /** What became of each step after the first. */
    outcomes: () => runtime.trace.steps.slice(1).map(({ outcome }) => outcome),
  };
}
