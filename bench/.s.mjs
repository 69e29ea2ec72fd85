import { bundled } from './size.mjs';
import { gzipSync, brotliCompressSync } from 'node:zlib';
import { writeFileSync } from 'node:fs';
const t = await bundled("import { store, createRuntime } from 'floe'; globalThis.use = [store, createRuntime];");
writeFileSync('/tmp/core.min.js', t);
console.log(t.length, gzipSync(t, { level: 9 }).length);
