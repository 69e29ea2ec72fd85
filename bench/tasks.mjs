// The tasks' rows of the benchmark.
import { createRuntime, store, task } from '../dist/core/index.js';
import { handTask } from './peers.mjs';
import { measureAsync } from './run.mjs';

/** One run after the other: it starts, its work waits once, it ends; watchers of the status are notified of both. */
async function oneRun() {
  const visits = store('visits', { count: 0 });
  const load = task(visits, 'load', async ({ signal }, n) => (signal.aborted ? 0 : n + 1), { overlap: 'replace' });
  const runtime = createRuntime({ stores: [visits] });
  const notified = { floe: 0, peer: 0 };
  runtime.watch(load.status, () => notified.floe++);
  const hand = handTask(
    async (signal, n) => (signal.aborted ? 0 : n + 1),
    () => notified.peer++,
  );
  let calls = 0;
  const took = await measureAsync({
    floe: () => runtime.run(load(1)),
    peer: () => (calls++, hand(1)),
  });
  if (notified.peer !== notified.floe || runtime.read(load.status).runs !== calls)
    throw new Error('the two did not do the same work');
  return took;
}

export const rows = [
  {
    work: 'a run of a task, with its signal and a watched status',
    against: 'an async function with an AbortController and a status object by hand',
    most: 2,
    run: oneRun,
  },
];
