// Run by index.mjs, with --expose-gc: what 10,000 runs and listeners leave behind when they are over.
import { createRuntime, store, task } from '../dist/core/index.js';

const used = () => {
  for (let i = 0; i < 4; i++) globalThis.gc();
  return process.memoryUsage().heapUsed;
};

const visits = store('visits', { picked: null });
const picked = visits.action('picked', (draft, id) => {
  draft.picked = id;
});
const save = task(
  visits,
  'save',
  async ({ signal, sleep, optimistic }, id) => {
    optimistic(picked(id)).confirm();
    await sleep(0);
    return signal.aborted;
  },
  { overlapBy: (id) => id },
);
const follow = task(visits, 'follow', async ({ each, next, sleep }, once) => {
  if (once) return Promise.race([next(picked), sleep(60_000)]);
  for await (const { payload } of each(picked)) if (payload === 'never') break;
});
const runtime = createRuntime({ stores: [visits] });

/** As many runs that end by themselves, and as many that wait for actions until they are cancelled. */
async function open(count) {
  for (let i = 0; i < count; i += 100) {
    const runs = Array.from({ length: 100 }, (_, j) => runtime.run(save(`v${i + j}`)));
    const listeners = Array.from({ length: 100 }, (_, j) => runtime.run(follow(j % 2 === 0)));
    await Promise.all(runs);
    for (const one of listeners) one.cancel();
  }
}
await open(1000);
const before = used();
await open(10_000);
const after = used();
if (runtime.read(save.status).runs !== 11_000 || runtime.read(follow.status).phase !== 'cancelled')
  throw new Error('the runs did not do their work');
process.stdout.write(JSON.stringify({ more: after - before }));
