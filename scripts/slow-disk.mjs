// For `scripts/crash.mjs`: a disk that takes a few kilobytes at a time, and its time for them, as full or slow ones do. Most
// moments at which a process can be killed are then moments in the middle of a write.
import fs from 'node:fs';
import { syncBuiltinESMExports } from 'node:module';

const PIECE = 4096;
const { writeSync } = fs;
const pause = new Int32Array(new SharedArrayBuffer(4));

fs.writeSync = (file, bytes, at, ...more) => {
  if (file < 3 || typeof bytes === 'string') return writeSync(file, bytes, at, ...more);
  Atomics.wait(pause, 0, 0, 0.2);
  return writeSync(file, bytes, at, Math.min(PIECE, bytes.length - at));
};
syncBuiltinESMExports();
