// Run by index.mjs: how many bytes are written for 10,000 changes of one row each in a state of 10 MB.
import { Buffer } from 'node:buffer';
import { createRuntime } from '../dist/core/index.js';
import { memoryArea, storageIn } from '../dist/persist/index.js';
import { declare, manyVisits } from './persist-state.mjs';

const { visits, arrived, moved } = declare();
const written = [];
const area = memoryArea();
const counted = {
  ...area,
  write(key, text) {
    written.push(Buffer.byteLength(text));
    area.write(key, text);
  },
};
const runtime = createRuntime({ stores: [visits], storage: storageIn(() => counted, { writeAfter: 0 }) });
runtime.dispatch(arrived(manyVisits()));
const [snapshot] = written.splice(0);
for (let i = 0; i < 10_000; i++) runtime.dispatch(moved([(i * 7919) % 40_000, `S${i % 9}-${i}`]));
const again = createRuntime({ stores: [visits], storage: storageIn(() => area) });
if (JSON.stringify(again.read(visits)) !== JSON.stringify(runtime.read(visits))) throw new Error('changes were lost');
const changes = written.filter((size) => size < snapshot / 2);
const sum = (sizes) => sizes.reduce((total, size) => total + size, 0);
const result = { snapshot, one: Math.max(...changes), changes: sum(changes), all: sum(written) + snapshot };
process.stdout.write(JSON.stringify(result));
