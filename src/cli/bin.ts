#!/usr/bin/env node
import { processOutput } from './output.js';
import { main } from './program.js';

// Whoever reads has read enough, as in 'floe steps shift.jsonl | head -1'.
for (const stream of [process.stdout, process.stderr])
  stream.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code !== 'EPIPE') throw error;
    process.exit(0);
  });

process.exitCode = await main(process.argv.slice(2), processOutput);
