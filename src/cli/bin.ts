#!/usr/bin/env node
import { processOutput } from './output.js';
import { main } from './program.js';

process.exitCode = await main(process.argv.slice(2), processOutput);
