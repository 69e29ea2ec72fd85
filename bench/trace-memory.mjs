// Run by index.mjs, with --expose-gc: the memory of 100,000 recorded steps that change one row of a state of 10 MB each.
import { createRuntime } from '../dist/core/index.js';
import { entity, rowOf, tables } from '../dist/entities/index.js';
import { recording } from '../dist/trace/index.js';

const used = () => {
  for (let i = 0; i < 4; i++) globalThis.gc();
  return process.memoryUsage().heapUsed;
};

const berth = entity('berth', rowOf(), { key: 'id' });
const port = tables('port', [berth]);
const moved = port.action('moved', (draft, { id, n }) => {
  draft.berth.get(id).n = n;
});
const remarks = (i) => `Berth ${i} of the outer harbour. `.repeat(30);
const rows = Array.from({ length: 10_000 }, (_, i) => ({ id: `b${i}`, quay: 'North', n: 0, remarks: remarks(i) }));
const size = JSON.stringify(rows).length;
const runtime = createRuntime({ stores: [port], trace: recording({ limit: 200_000 }) });
runtime.dispatch(port.put(berth, rows));
const before = used();
for (let i = 2; i < 100_002; i++) runtime.dispatch(moved({ id: `b${(i * 7919) % 10_000}`, n: i }));
const more = used() - before;
if (runtime.trace.steps.length !== 100_002) throw new Error('steps were lost');
process.stdout.write(JSON.stringify({ more, size }));
