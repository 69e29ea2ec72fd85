// Runs in the page of `persist.mjs`: rehydrating from IndexedDB and parsing the same text, in turns. Milliseconds.
import { createRuntime } from '../dist/core/index.js';
import { indexedDbStorage } from '../dist/persist/index.js';
import { declare, manyVisits } from './persist-state.mjs';

const median = (values) => values.sort((a, b) => a - b)[values.length >> 1];

export async function rehydrate() {
  const { visits, arrived } = declare();
  const open = async () => {
    const runtime = createRuntime({ stores: [visits], storage: indexedDbStorage({ name: 'bench' }) });
    await runtime.ready;
    return runtime;
  };
  const first = await open();
  first.dispatch(arrived(manyVisits()));
  await first.persistence.flush();
  const text = (await first.persistence.texts()).visits;
  first.close();
  const times = { floe: [], peer: [] };
  for (let round = -2; round < 15; round++) {
    // What one of them left behind is not cleared away in the other's time.
    globalThis.gc();
    let began = performance.now();
    const runtime = await open();
    const took = performance.now() - began;
    const { length } = runtime.read(visits).list;
    runtime.close();
    globalThis.gc();
    began = performance.now();
    const { state } = JSON.parse(text);
    const parsed = performance.now() - began;
    if (state.list.length !== length) throw new Error('rows were lost');
    if (round < 0) continue;
    times.floe.push(took);
    times.peer.push(parsed);
  }
  return { floe: median(times.floe), peer: median(times.peer) };
}
