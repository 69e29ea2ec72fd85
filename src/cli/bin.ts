#!/usr/bin/env node
import { processOutput } from './output.js';
import { main } from './program.js';

// Whoever reads has read enough, as in 'floe steps shift.jsonl | head -1'.
for (const stream of [process.stdout, process.stderr])
  stream.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code !== 'EPIPE') throw error;
    process.exit(0);
  });

const code = await main(process.argv.slice(2), processOutput);
// The answer is there, and whatever a model has begun does not keep the process: a timer, a server.
process.stdout.write('', () => process.stderr.write('', () => process.exit(code)));
