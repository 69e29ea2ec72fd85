// Run by entities.mjs, with --expose-gc: the memory of one version of a table, and of 1,000 that differ by one row each.
import { createRuntime } from '../dist/core/index.js';
import { entity, rowOf, tables } from '../dist/entities/index.js';
import { flatVisits } from './entities.mjs';

const used = () => {
  for (let i = 0; i < 4; i++) globalThis.gc();
  return process.memoryUsage().heapUsed;
};

const visit = entity('visit', rowOf(), { key: 'id' });
const port = tables('port', [visit]);
const bumped = port.action('bumped', (draft, key) => {
  draft.visit.get(key).priority += 1;
});
const before = used();
const runtime = createRuntime({ stores: [port] });
runtime.dispatch(port.put(visit, flatVisits(100_000)));
const one = used() - before;
const kept = [];
for (let i = 0; i < 1000; i++) {
  kept.push(runtime.read(port).visit);
  runtime.dispatch(bumped(`v${(i * 7919) % 100_000}`));
}
const all = used() - before;
if (kept.length !== 1000) throw new Error('versions were lost');
process.stdout.write(JSON.stringify({ one, all }));
